import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import { keys } from "../../api/keys";
import type { Conversion } from "../../api/types";
import { InTestApp } from "../../InTestApp";
import { Photographs } from "./Photographs";
import type { Look } from "./useLook";

const conversion = { id: 7, version: 3, name: "rust", target: "open_pbr", checks: [] } as unknown as Conversion;
const look = { pictures: undefined, stale: false } as Look;
const picked = {
  colour: [0.4, 0.1, 0.04],
  spread: 1.2,
  clipped: 0,
  pixels: 640,
  space: "srgb",
  exposure: -1,
  off: null,
};
const model = { id: "open_pbr", parameters: [{ name: "base_color", kind: "colour" }] };

function shown() {
  render(
    <InTestApp
      known={[
        [keys.photographs(1), [{ id: "photo-1", title: "door.png", says: "100 × 80" }]],
        [keys.models, [model]],
      ]}
    >
      <Photographs conversion={conversion} project={1} look={look} />
    </InTestApp>,
  );
}

function drag(from: [number, number], to: [number, number]) {
  const picture = screen.getByRole("img", { name: /^door.png: / });
  picture.getBoundingClientRect = () => ({ left: 0, top: 0, width: 200, height: 100 }) as DOMRect;
  fireEvent.pointerDown(picture, { clientX: from[0], clientY: from[1] });
  fireEvent.pointerUp(picture, { clientX: to[0], clientY: to[1] });
}

describe("a photograph beside the render", () => {
  afterEach(() => {
    vi.unstubAllGlobals();
    sessionStorage.clear();
  });

  it("is cropped to a square where that is drawn, which lasts for the next material", async () => {
    shown();
    const picture = screen.getByRole("img", { name: "door.png" });
    for (const [name, size] of [["naturalWidth", 200], ["naturalHeight", 100]] as const) Object.defineProperty(picture, name, { value: size }); // prettier-ignore
    fireEvent.load(picture);
    await userEvent.click(screen.getByText("crop to a square"));
    // From 0.4 to 0.6 of the width is 40 pixels; over the height that is 0.4.
    drag([80, 45], [120, 55]);
    const placed = () => screen.getByRole("img", { name: /^door.png: / }).style;
    const { width, height, left, top } = placed();
    expect([width, height, left, top].map((share) => Math.round(parseFloat(share)))).toEqual([500, 250, -200, -75]);
    cleanup();
    shown();
    expect(parseFloat(placed().width)).toBeCloseTo(500);
    await userEvent.click(screen.getByRole("button", { name: "Whole photograph" }));
    expect(placed().width).toBe("");
  });

  it("sets exposure by a grey, picks a colour, and puts it into a value", async () => {
    const sent: { url: string; body: unknown }[] = [];
    vi.stubGlobal("fetch", async (request: Request) => {
      sent.push({ url: new URL(request.url).pathname, body: await request.json() });
      return Response.json(sent.length === 1 ? picked : conversion);
    });
    shown();
    await userEvent.click(screen.getByText("set by a grey"));
    drag([100, 10], [160, 50]);
    expect(sent).toHaveLength(0);
    await userEvent.click(screen.getByText("pick a colour"));
    drag([20, 10], [60, 30]);
    expect(await screen.findByText("0.4000 0.1000 0.0400")).toBeTruthy();
    expect(sent[0]).toMatchObject({
      url: "/api/v1/projects/1/photographs/photo-1/pick",
      body: { area: [[0.1, 0.1], [0.3, 0.3]], grey: [[0.5, 0.1], [0.8, 0.5]], reflectance: 0.18, chart: null }, // prettier-ignore
    });
    await userEvent.click(screen.getByRole("button", { name: "Put it there" }));
    await vi.waitFor(() => expect(sent).toHaveLength(2));
    expect(sent[1]).toMatchObject({
      url: "/api/v1/conversions/7/values/base_color",
      body: { value: [0.4, 0.1, 0.04] },
    });
  });

  it("takes a chart by its four corners", async () => {
    const sent: unknown[] = [];
    vi.stubGlobal("fetch", async (request: Request) => {
      sent.push(await request.json());
      return Response.json({ ...picked, off: [1.1, 3.2] });
    });
    shown();
    await userEvent.click(screen.getByText("set by a chart"));
    for (const corner of [[20, 10], [180, 10], [180, 90], [20, 90]] as [number, number][]) drag(corner, corner); // prettier-ignore
    await userEvent.click(screen.getByText("pick a colour"));
    drag([20, 10], [60, 30]);
    expect(await screen.findByText(/The chart is then off/)).toBeTruthy();
    expect(sent[0]).toMatchObject({ grey: null, chart: [[0.1, 0.1], [0.9, 0.1], [0.9, 0.9], [0.1, 0.9]] }); // prettier-ignore
  });
});
