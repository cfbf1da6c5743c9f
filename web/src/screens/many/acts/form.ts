import type { ReactNode } from "react";
import type { Act, ActKind, ActOf } from "../../../api/acts";
import type { Parameter, Target } from "../../../api/types";

export interface FieldsProps<A extends Act> {
  project: number;
  target: Target;
  parameters: Parameter[];
  act: A;
  change: (act: A) => void;
}

/** How an act on many is chosen and filled in: its name, what it does in a sentence, how it begins, and whether enough is said. */
export interface ActForm<A extends Act = Act> {
  label: string;
  says: string;
  empty: A;
  isComplete: (act: A) => boolean;
  Fields?: (props: FieldsProps<A>) => ReactNode;
}

/** The form of one kind of act. It is only ever given acts of that kind, which the list of all forms cannot say. */
export function formFor<Kind extends ActKind>(form: ActForm<ActOf<Kind>>): ActForm {
  return form as unknown as ActForm;
}
