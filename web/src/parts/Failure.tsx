import { Result } from "antd";
import { ProblemError } from "../api/client";

/** One line that says what went wrong, where, and what to do next. */
export function explain(error: unknown): string {
  if (error instanceof ProblemError) return [error.message, error.problem.remedy].filter(Boolean).join(" ");
  return error instanceof Error ? error.message : "Something went wrong.";
}

/** The same in place of a screen. */
export function Failure({ error }: { error: unknown }) {
  const remedy = error instanceof ProblemError ? error.problem.remedy : undefined;
  return (
    <Result
      status="warning"
      title={error instanceof Error ? error.message : "Something went wrong."}
      subTitle={remedy}
    />
  );
}
