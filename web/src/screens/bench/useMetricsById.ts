import { useMetrics, type Metric } from "../../api/queries";

/** What is measured, by the id that readings name. */
export function useMetricsById(): ReadonlyMap<string, Metric> {
  return new Map((useMetrics().data ?? []).map((metric) => [metric.id, metric]));
}
