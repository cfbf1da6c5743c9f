import { Segmented } from "antd";
import { AIMS } from "../../../parts/aims";
import { formFor } from "./form";

export const applyAim = formFor<"aim">({
  label: "Convert with an aim",
  says: "Plain values, the nearest, or what was meant; values that were set over derived ones stay.",
  empty: { kind: "aim", aim: "plain" },
  isComplete: () => true,
  Fields: ({ act, change }) => (
    <>
      <Segmented
        aria-label="Aim"
        value={act.aim}
        options={AIMS.map(({ aim }) => aim)}
        onChange={(aim) => change({ ...act, aim })}
      />
      <span className="small faded">{AIMS.find(({ aim }) => aim === act.aim)?.says}</span>
    </>
  ),
});
