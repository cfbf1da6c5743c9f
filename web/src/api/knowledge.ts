import { useQuery } from "@tanstack/react-query";
import { client, unwrap } from "./client";
import { keys } from "./keys";

/** Tables, models, metrics, rigs, stands and the engine's state do not change while the page is open. */
export function useTables() {
  return useQuery({
    queryKey: keys.tables,
    staleTime: Infinity,
    queryFn: () => unwrap(client.GET("/api/v1/tables")),
  });
}

export function useModels() {
  return useQuery({
    queryKey: keys.models,
    staleTime: Infinity,
    queryFn: () => unwrap(client.GET("/api/v1/models")),
  });
}

export function useMetrics() {
  return useQuery({
    queryKey: keys.metrics,
    staleTime: Infinity,
    queryFn: () => unwrap(client.GET("/api/v1/metrics")),
  });
}

export function useEngineState() {
  return useQuery({ queryKey: keys.state, staleTime: Infinity, queryFn: () => unwrap(client.GET("/api/v1/state")) });
}
