import { useQuery } from "@tanstack/react-query";
import { client, unwrap, type Schemas } from "./client";
import { keys } from "./keys";

export type TopicSection = Schemas["SectionOut"];

/** What the reference is about. It is made from the code, and stands while the page is open. */
export function useTopics() {
  return useQuery({
    queryKey: keys.topics,
    staleTime: Infinity,
    queryFn: () => unwrap(client.GET("/api/v1/reference")),
  });
}

export function useTopic(id: string, wanted = true) {
  return useQuery({
    queryKey: keys.topic(id),
    staleTime: Infinity,
    enabled: wanted,
    queryFn: () => unwrap(client.GET("/api/v1/reference/{topic}", { params: { path: { topic: id } } })),
  });
}
