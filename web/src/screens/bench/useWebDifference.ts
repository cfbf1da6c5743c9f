import { useQuery } from "@tanstack/react-query";
import { client, unwrap } from "../../api/client";
import { pixelsOf as drawnPixels, type Viewer } from "../../viewer/viewer";
import { onBody, type Pixels } from "./viewer/pixels";
import { keys } from "../../api/keys";

/**
 * How what a web viewer shows differs from our converted picture of the same, on the body; undefined until it is known. view: names what is
 * looked at, for which an earlier figure stands until a better picture is measured; address: of our picture's pixels.
 */
export function useWebDifference(
  viewer: Viewer | undefined,
  view: string,
  address: string | undefined,
  pixels: Pixels | undefined,
) {
  const { data } = useQuery({
    queryKey: keys.webDifference(`${viewer?.scene.uuid} ${view}`, address?.slice(-120)),
    placeholderData: (before, query) => (query?.queryKey[1] === `${viewer?.scene.uuid} ${view}` ? before : undefined),
    enabled: viewer !== undefined && pixels !== undefined,
    gcTime: 0,
    queryFn: () => {
      if (viewer === undefined || pixels === undefined) throw new Error("Nothing is shown.");
      const form = new FormData();
      form.append("pixels", onBody(pixels, drawnPixels(viewer, pixels.edge, pixels.edge)));
      return unwrap(client.POST("/api/v1/differences", { body: { pixels: "" }, bodySerializer: () => form }));
    },
  });
  return data;
}
