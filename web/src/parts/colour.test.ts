import { describe, expect, it } from "vitest";
import { decode, encode, hexOf, NOTATIONS, read, spell, type Rgb } from "./colour";

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
      close(read(spell(colour, notation), notation).colour, colour, notation === "hex" || notation === "0–255" ? 1 : 3);
  });

  it("takes hex whatever the notation, and one number as grey", () => {
    close(read("#ff8000", "linear").colour, [1, decode(128 / 255), 0]);
    close(read("#f80", "HSV").colour, [1, decode(136 / 255), 0]);
    close(read("rgb(255, 128, 0)", "linear").colour, [1, decode(128 / 255), 0]);
    close(read("rgb(100% 50% 0%)", "hex").colour ?? read("rgb(100% 50% 0%)", "sRGB").colour, [1, decode(0.5), 0]);
    close(read("10%", "linear").colour, [0.1, 0.1, 0.1]);
    close(read("0.3", "linear").colour, [0.3, 0.3, 0.3]);
    close(read("0.1 0.2;0.3", "linear").colour, [0.1, 0.2, 0.3]);
  });

  it("refuses what is no colour", () => {
    for (const text of ["", "red", "1, 2", "1, x, 3", "#12"]) expect(read(text, "linear").colour).toBeUndefined();
    expect(read("0.1, 0.2, 0.3", "hex").colour).toBeUndefined();
  });

  it("answers in the notation that was typed", () => {
    expect(read("#12", "linear").wrong).toMatch(/three or six digits/);
    expect(read("300, 0, 0", "0–255").wrong).toBe("300 is above 255");
    expect(read("1, x, 3", "linear").wrong).toBe("x is no number");
    expect(read("1.2, 0, 0", "linear", 1).wrong).toBe("above 1");
    expect(read("-0.1", "linear").wrong).toBe("-0.1 is below 0");
  });
});
