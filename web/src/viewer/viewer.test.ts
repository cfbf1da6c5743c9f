import { PerspectiveCamera, Vector3 } from "three";
import { describe, expect, it } from "vitest";
import { placeOf, putCamera, type Viewer } from "./viewer";

const target = new Vector3(0, 0.2, 0);

function seen(): Viewer {
  const camera = new PerspectiveCamera();
  camera.position.set(0, 0.2, 6);
  return { camera, target, home: camera.position.clone() } as Viewer;
}

describe("the camera that is turned by hand", () => {
  it("stands where the server draws from: about the vertical from +z towards +x, up, and away", () => {
    const viewer = seen();
    putCamera(viewer, "90,30,4");
    const { x, y, z } = viewer.camera.position;
    expect([x, y, z].map((part) => Math.round(1000 * part) / 1000)).toEqual([3.464, 2.2, 0]);
    const ahead = viewer.camera.getWorldDirection(new Vector3());
    expect(ahead.dot(target.clone().sub(viewer.camera.position).normalize())).toBeCloseTo(1);
  });

  it("is told as it is put, and goes back where the scene has it", () => {
    const viewer = seen();
    expect(placeOf(viewer)).toBe("0,0,6");
    for (const place of ["-120.5,12.3,7.25", "0,85,1.7"]) {
      putCamera(viewer, place);
      expect(placeOf(viewer)).toBe(place);
    }
    putCamera(viewer, undefined);
    expect(placeOf(viewer)).toBe("0,0,6");
  });
});
