import { useMetrics } from "../../api/knowledge";
import type { Metric } from "../../api/types";

/** What is measured, by the id that readings name. */
export function useMetricsById(): ReadonlyMap<string, Metric> {
  return new Map((useMetrics().data ?? []).map((metric) => [metric.id, metric]));
}
