import { useCallback } from "react";
import { useNavigate, useParams } from "react-router";

interface How {
  /** Another project than that of the page. */
  project?: number;
  /** Whether Back is to lead past the page that is left. */
  replace?: boolean;
}

/** Go to a place of this project, or of another one: its address names the project. */
export function useGo(): (place: string, how?: How) => void {
  const navigate = useNavigate();
  const here = useParams()["project"];
  return useCallback(
    (place, { project, replace = false } = {}) => void navigate(placeOf(place, project ?? here), { replace }),
    [navigate, here],
  );
}

export function placeOf(place: string, project: number | string | undefined): string {
  return project === undefined ? place : `/projects/${project}${place}`;
}
