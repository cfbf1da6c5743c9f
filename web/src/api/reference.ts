import { useQuery } from "@tanstack/react-query";
import { client, unwrap, type Schemas } from "./client";

export type TopicSection = Schemas["SectionOut"];

export const referenceKeys = {
  topics: ["reference"] as const,
  topic: (id: string) => ["reference", id] as const,
};

/** What the reference is about. It is made from the code, and stands while the page is open. */
export function useTopics() {
  return useQuery({
    queryKey: referenceKeys.topics,
    staleTime: Infinity,
    queryFn: () => unwrap(client.GET("/api/v1/reference")),
  });
}

export function useTopic(id: string, wanted = true) {
  return useQuery({
    queryKey: referenceKeys.topic(id),
    staleTime: Infinity,
    enabled: wanted,
    queryFn: () => unwrap(client.GET("/api/v1/reference/{topic}", { params: { path: { topic: id } } })),
  });
}
