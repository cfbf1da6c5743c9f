import { momentOf } from "./words";

/** A moment of the server, which counts in UTC, as the reader's clock and calendar show it. */
export function Moment({ at }: { at: string }) {
  const moment = momentOf(at);
  return <time dateTime={moment.toISOString()}>{moment.toLocaleString()}</time>;
}
