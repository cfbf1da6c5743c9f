import { keepPreviousData, useQuery } from "@tanstack/react-query";
import type { Step } from "../parts/grading";
import { client, unwrap } from "./client";
import { keys } from "./keys";

/** The converted values that are maps; they change with every edit. */
export function useConversionMaps(id: number) {
  return useQuery({
    queryKey: keys.maps(id),
    queryFn: () =>
      unwrap(client.GET("/api/v1/conversions/{conversion_id}/maps", { params: { path: { conversion_id: id } } })),
  });
}

/** A map to look at; what was shown before stays until it is there. */
export function useMapPicture(id: number, name: string, wish: { source?: string; steps?: Step[] }) {
  return useQuery({
    queryKey: keys.map(id, name, wish),
    placeholderData: keepPreviousData,
    queryFn: () =>
      unwrap(
        client.POST("/api/v1/conversions/{conversion_id}/maps/{name}/picture", {
          params: { path: { conversion_id: id, name } },
          body: { source: wish.source ?? "", steps: wish.steps ?? null },
        }),
      ),
  });
}
