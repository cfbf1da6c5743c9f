import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { MARKED, paintDifference, paintSide, pixelsOf, sampled, type Pixels } from "./pixels";

const EDGE = 4;
/** Planes in the order in which the server packs them. */
function made(planes: ((at: number) => number)[]): Pixels {
  const all = Float32Array.from({ length: 11 * EDGE * EDGE }, (_, at) =>
    (planes[Math.floor(at / (EDGE * EDGE))] ?? (() => 0))(at % (EDGE * EDGE)),
  );
  return pixelsOf(all.buffer);
}
const still = (value: number) => () => value;

describe("pixels of a pair", () => {
  beforeEach(() => {
    // Neither jsdom nor this Node has them; single precision holds what halves do.
    vi.stubGlobal("Float16Array", Float32Array);
    vi.stubGlobal(
      "ImageData",
      class {
        data: Uint8ClampedArray;
        constructor(
          public width: number,
          public height: number,
        ) {
          this.data = new Uint8ClampedArray(4 * width * height);
        }
      },
    );
  });
  afterEach(() => vi.unstubAllGlobals());

  const inside = (at: number) => (at === 5 ? 1 : 0);
  const pixels = () =>
    made([
      (at) => at / 8,
      still(0.5),
      still(0),
      still(0.25),
      still(0.25),
      still(0.25),
      (at) => at,
      still(3),
      still(0.1),
      (at) => (at === 0 ? 5 : 0),
      inside,
    ]);

  it("are read one by one and as means of a region", () => {
    const one = sampled(pixels(), { left: 0.3, top: 0.3, right: 0.3, bottom: 0.3 });
    expect(one.pixels).toBe(1);
    expect(one.original).toEqual([5 / 8, 0.5, 0]);
    const region = sampled(pixels(), { left: 0, top: 0, right: 0.49, bottom: 0.49 });
    expect(region.pixels).toBe(4);
    expect(region.original[0]).toBeCloseTo((0 + 1 + 4 + 5) / 4 / 8);
    expect(region.measured["ΔE2000"]).toBeCloseTo(2.5);
    expect(region.converted).toEqual([0.25, 0.25, 0.25]);
  });

  it("are shown as a display shows them, brighter by stops, with what is clipped marked", () => {
    // IEC 61966-2-1: linear 0.2140 is 127.5 of 255; one stop darker than 0.428.
    const grey = made(Array.from({ length: 6 }, () => still(0.428)));
    expect(paintSide(grey, "original", -1, []).data[0]).toBeCloseTo(127, -0.5);
    const bright = paintSide(pixels(), "original", 1, ["clipped"]).data;
    expect([...bright.slice(4 * 15, 4 * 15 + 3)]).toEqual(MARKED.clipped.colour);
  });

  it("show the difference on the chosen scale, noise and rim where asked", () => {
    const shown = paintDifference(pixels(), "ΔE2000", 10, []).data;
    const brightness = (at: number) => (shown[4 * at] ?? 0) + (shown[4 * at + 1] ?? 0);
    expect(brightness(9)).toBeGreaterThan(brightness(2));
    expect(brightness(12)).toBe(brightness(15));
    const marked = paintDifference(pixels(), "relative", 1, ["rim", "noise"]).data;
    expect([...marked.slice(4 * 5, 4 * 5 + 3)]).toEqual(MARKED.rim.colour);
    expect([...marked.slice(0, 3)]).toEqual(MARKED.noise.colour);
  });
});
