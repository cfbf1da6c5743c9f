import { openViewer, pixelsOf } from "./viewer";

/** Draws what the server beside this page hands out, and sends the picture back; for a browser that nobody looks at. */
async function draw(): Promise<BodyInit> {
  const asked = new URLSearchParams(window.location.search);
  const [glb, light] = await Promise.all(
    ["scene.glb", "light.exr"].map(async (name) => (await fetch(name)).arrayBuffer()),
  );
  if (glb === undefined || light === undefined) throw new Error("Nothing was handed out.");
  const viewer = await openViewer(glb, light);
  return pixelsOf(viewer, Number(asked.get("width")), Number(asked.get("height"))) as Uint16Array<ArrayBuffer>;
}

draw().then(
  (picture) => fetch("picture", { method: "POST", body: picture }),
  (reason: unknown) => fetch("failure", { method: "POST", body: String(reason) }),
);
