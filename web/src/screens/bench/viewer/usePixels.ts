import { useQuery } from "@tanstack/react-query";
import { pixelsOf, type Pixels } from "./pixels";

/** What is known of every pixel, fetched from its address; undefined while there is none. */
export function usePixels(address: string | undefined): Pixels | undefined {
  const wanted = address !== undefined && address !== "";
  return useQuery({
    queryKey: ["pixels", wanted ? address.slice(-120) : ""],
    enabled: wanted,
    staleTime: Infinity,
    gcTime: 30_000,
    queryFn: async () => {
      const answer = await fetch(address ?? "");
      const inflated = answer.body?.pipeThrough(new DecompressionStream("deflate"));
      return pixelsOf(await new Response(inflated ?? null).arrayBuffer());
    },
  }).data;
}
