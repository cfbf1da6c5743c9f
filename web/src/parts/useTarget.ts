import { useSearchParams } from "react-router";
import { useTargets } from "../api/targets";
import type { Target } from "../api/types";

/** The target in the address, so that a link shows the same board; the first of those served where it names none. */
export function useTarget(project: number): [Target | undefined, (key: string) => void, Target[]] {
  const [search, setSearch] = useSearchParams();
  const targets = useTargets(project).data ?? [];
  const target = targets.find((candidate) => candidate.key === search.get("to")) ?? targets[0];
  const choose = (key: string) =>
    setSearch(
      (old) => {
        old.set("to", key);
        return old;
      },
      { replace: true },
    );
  return [target, choose, targets];
}

/** Targets as the choices of a list. */
export function targetOptions(targets: Target[]): { value: string; label: string }[] {
  return targets.map(({ key, title }) => ({ value: key, label: `to ${title}` }));
}
