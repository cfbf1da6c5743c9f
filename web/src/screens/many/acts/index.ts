import type { Act, ActKind } from "../../../api/acts";
import { acceptUnread } from "./acceptUnread";
import { applyAim } from "./applyAim";
import { convertAgain } from "./convertAgain";
import { copyGroups } from "./copyGroups";
import { fitValues } from "./fitValues";
import type { ActForm } from "./form";
import { gradeValue } from "./gradeValue";
import { makeVariants } from "./makeVariants";
import { mergeAlike } from "./mergeAlike";
import { resetGroups } from "./resetGroups";
import { setValues } from "./setValues";

/** Acts that are begun here; what saves a target profile or a dialect is begun beside its text. */
export const FORMS: ActForm[] = [
  setValues,
  copyGroups,
  gradeValue,
  fitValues,
  resetGroups,
  mergeAlike,
  applyAim,
  convertAgain,
  makeVariants,
  acceptUnread,
];

/** The form of an act of this kind, of the first one where there is none. */
export function formOf(kind: string | null): ActForm {
  return FORMS.find(({ empty }) => empty.kind === kind) ?? setValues;
}

/** An act of another kind, with the groups that were chosen already. */
export function begun(kind: ActKind, before: Act): Act {
  const { empty } = formOf(kind);
  return "groups" in empty && "groups" in before ? { ...empty, groups: before.groups } : empty;
}
