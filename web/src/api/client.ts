import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Problem = Schemas["Problem"];

export const client = createClient<paths>({
  baseUrl: window.location.origin,
  fetch: (request: Request) => globalThis.fetch(request),
});

/** An error of the server, with what it says to do next. */
export class ProblemError extends Error {
  readonly problem: Partial<Problem>;

  constructor(problem: Partial<Problem>) {
    super(problem.detail ?? "The server did not answer.");
    this.problem = problem;
  }
}

export interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** The answer's data, undefined where it has none to give, or a ProblemError. */
export async function unwrap<T>(answer: Promise<Answer<T>>): Promise<T> {
  const { data, error, response } = await answer.catch(() => {
    throw new ProblemError({
      detail: "Fenrain does not answer.",
      remedy: "Check that it is still running, then try again.",
    });
  });
  if (!response.ok) throw new ProblemError(error ?? {});
  return data as T;
}

export function fileUrl(digest: string): string {
  return `/api/v1/files/${digest}`;
}
