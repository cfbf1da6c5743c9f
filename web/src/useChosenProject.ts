import { useState } from "react";
import type { Schemas } from "./api/client";

type Project = Schemas["ProjectOut"];
const KEPT = "fenrain.project";

/** The project that is worked on: the last one chosen in this browser, else the first. */
export function useChosenProject(projects: Project[] | undefined): [Project | undefined, (id: number) => void] {
  const [chosen, setChosen] = useState(() => Number(localStorage.getItem(KEPT) ?? 0));
  const project = projects?.find((candidate) => candidate.id === chosen) ?? projects?.[0];
  const choose = (id: number) => {
    localStorage.setItem(KEPT, String(id));
    setChosen(id);
  };
  return [project, choose];
}
