import { useQuery } from "@tanstack/react-query";
import { client, unwrap, type Answer } from "../../../api/client";
import { havingFlip, pairIn, pixelsOf, type Pixels } from "./pixels";
import { keys } from "../../../api/keys";

/** What is known of every pixel, fetched from its address; undefined while there is none. FLIP comes a moment later, where it is wanted. */
export function usePixels(address: string | undefined, withFlip: boolean): Pixels | undefined {
  const wanted = address !== undefined && address !== "";
  const key = wanted ? address.slice(-120) : "";
  const { data: plain } = useQuery({
    queryKey: keys.pixels(key),
    enabled: wanted,
    staleTime: Infinity,
    gcTime: 30_000,
    queryFn: async () => {
      const answer = await fetch(address ?? "");
      const inflated = answer.body?.pipeThrough(new DecompressionStream("deflate"));
      return pixelsOf(await new Response(inflated ?? null).arrayBuffer());
    },
  });
  const { data: measured } = useQuery({
    queryKey: keys.flip(key),
    enabled: withFlip && plain !== undefined,
    staleTime: Infinity,
    gcTime: 30_000,
    queryFn: async () => (plain === undefined ? undefined : havingFlip(plain, await flipOf(plain))),
  });
  return withFlip ? (measured ?? plain) : plain;
}

async function flipOf(pixels: Pixels): Promise<ArrayBuffer> {
  const form = new FormData();
  form.append("pixels", pairIn(pixels));
  return unwrap(
    client.POST("/api/v1/flip", {
      body: { pixels: "" },
      bodySerializer: () => form,
      parseAs: "arrayBuffer",
    }) as Promise<Answer<ArrayBuffer>>,
  );
}
