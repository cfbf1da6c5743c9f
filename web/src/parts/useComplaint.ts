import { App } from "antd";
import { explain } from "./Failure";

const SECONDS = 8;

/** Says what went wrong with something that one asked for. */
export function useComplaint(): (error: unknown) => void {
  const { message } = App.useApp();
  return (error) => void message.error(explain(error), SECONDS);
}
