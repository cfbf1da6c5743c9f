/** Draws what the server beside this page hands out, and sends the picture back; for a browser that nobody looks at. */
async function draw(): Promise<BodyInit> {
  const asked = new URLSearchParams(window.location.search);
  const [width, height] = [Number(asked.get("width")), Number(asked.get("height"))];
  const [glb, light] = await Promise.all(
    ["scene.glb", "light.exr"].map(async (name) => (await fetch(name)).arrayBuffer()),
  );
  if (glb === undefined || light === undefined) throw new Error("Nothing was handed out.");
  return (await drawnBy(asked.get("viewer"), glb, light, width, height)) as Uint16Array<ArrayBuffer>;
}

async function drawnBy(viewer: string | null, glb: ArrayBuffer, light: ArrayBuffer, width: number, height: number) {
  if (viewer === "sample") {
    const radiance = await (await fetch("light.hdr")).arrayBuffer();
    return (await import("./sample")).pictureBy(glb, radiance, width, height);
  }
  const { openViewer, pixelsOf } = await import("./viewer");
  return pixelsOf(await openViewer(glb, light), width, height);
}

draw().then(
  (picture) => fetch("picture", { method: "POST", body: picture }),
  (reason: unknown) => fetch("failure", { method: "POST", body: String(reason) }),
);
