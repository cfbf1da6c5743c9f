import { Alert } from "antd";
import { useEngineState } from "../api/knowledge";

/** Says when pictures cannot be made here, and what to do; silent otherwise. */
export function EngineNotice() {
  const state = useEngineState().data;
  if (state === undefined || state.engine_runs) return null;
  return <Alert banner type="warning" title={`${state.engine_reason} ${state.engine_remedy}`} />;
}
