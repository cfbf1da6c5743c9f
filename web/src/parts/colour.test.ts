import { describe, expect, it } from "vitest";
import { decode, encode, hexOf, NOTATIONS, parse, spell, type Rgb } from "./colour";

const close = (colour: Rgb | undefined, expected: Rgb, digits = 3) => {
  expect(colour).toBeDefined();
  colour?.forEach((part, index) => expect(part).toBeCloseTo(expected[index] ?? NaN, digits));
};

describe("the sRGB curve (IEC 61966-2-1)", () => {
  it("has its published values", () => {
    expect(encode(0.0031308)).toBeCloseTo(0.04045, 5);
    expect(encode(0.2140411)).toBeCloseTo(0.5, 5);
    expect(decode(1)).toBeCloseTo(1, 9);
  });

  it("goes both ways", () => {
    for (let step = 0; step <= 20; step += 1) expect(decode(encode(step / 20))).toBeCloseTo(step / 20, 9);
  });
});

describe("spelling and reading colours", () => {
  it("spells mid grey in each notation", () => {
    const grey: Rgb = [0.2158605, 0.2158605, 0.2158605];
    expect(spell(grey, "sRGB")).toBe("0.502, 0.502, 0.502");
    expect(spell(grey, "0–255")).toBe("128, 128, 128");
    expect(spell(grey, "HSV")).toBe("0, 0, 0.502");
    expect(hexOf(grey)).toBe("#808080");
  });

  it("knows the hues of pure colours", () => {
    expect(spell([1, 0, 0], "HSV")).toBe("0, 1, 1");
    expect(spell([0, 1, 0], "HSV")).toBe("120, 1, 1");
    expect(spell([0, 0, 1], "HSV")).toBe("240, 1, 1");
  });

  it("reads back what it spells", () => {
    const colour: Rgb = [0.7, 0.25, 0.05];
    for (const notation of NOTATIONS)
      close(parse(spell(colour, notation), notation), colour, notation === "hex" || notation === "0–255" ? 1 : 3);
  });

  it("takes hex whatever the notation, and one number as grey", () => {
    close(parse("#ff8000", "linear"), [1, decode(128 / 255), 0]);
    close(parse("0.3", "linear"), [0.3, 0.3, 0.3]);
    close(parse("0.1 0.2;0.3", "linear"), [0.1, 0.2, 0.3]);
  });

  it("refuses what is no colour", () => {
    for (const text of ["", "red", "1, 2", "1, x, 3", "#12"]) expect(parse(text, "linear")).toBeUndefined();
    expect(parse("0.1, 0.2, 0.3", "hex")).toBeUndefined();
  });
});
