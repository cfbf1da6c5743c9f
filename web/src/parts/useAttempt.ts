import { App } from "antd";
import { explain } from "./Failure";

/** Does something that may fail, and says so if it does. */
export function useAttempt(): (act: () => Promise<void>) => Promise<void> {
  const { message } = App.useApp();
  return async (act) => {
    try {
      await act();
    } catch (error) {
      void message.error(explain(error), 8);
    }
  };
}
