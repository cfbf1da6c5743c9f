import { formFor } from "./form";

export const acceptUnread = formFor<"accept unread">({
  label: "Accept what was not read",
  says: "What was not read of a source does not matter: a match is one again, here and in every other target.",
  empty: { kind: "accept unread" },
  isComplete: () => true,
});
