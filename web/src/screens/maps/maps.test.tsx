import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { Route, Routes } from "react-router";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { keys } from "../../api/keys";
import type { Conversion, ConversionMap, MapView } from "../../api/types";
import { InTestApp } from "../../InTestApp";
import { decision, FIGURES, PLAIN } from "../../samplesInTests";
import { MapsScreen } from "./MapsScreen";

const CONVERSION: Conversion = {
  id: 7,
  version: 4,
  project_id: 1,
  material_id: 3,
  name: "sluice iron",
  model: "spec_gloss",
  target: "metal_rough",
  target_title: "Kiosk",
  profile: "kiosk",
  variants: [],
  file: "yard.glb",
  aim: "nearest",
  plainness: PLAIN,
  choice: null,
  source_values: [],
  findings: [],
  ledger: [],
  figures: FIGURES,
  verdict: decision("match"),
  checks: [],
  checking: false,
  outside: [],
};
const MAPS: ConversionMap[] = [
  {
    name: "base_color",
    group: "body",
    kind: "colour",
    width: 512,
    height: 256,
    sources: [{ name: "diffuse", shown: "", says: ["iron.png: 1024 × 512, 3 × 8 bits"] }],
    steps: ["Made 512 × 256 texels of 1024 × 512."],
    grade: [{ saturation: 0.5 }],
  },
  { name: "normal", group: "relief", kind: "normal", width: 8, height: 8, sources: [], steps: [], grade: [] },
];
const VIEW: MapView = {
  width: 512,
  height: 256,
  kind: "colour",
  picture: "data:image/png;base64,",
  most: 1,
  bins: [
    [1, 2],
    [3, 4],
    [5, 6],
  ],
  least: [0, 0, 0],
  mean: [0.25, 0.125, 0.0625],
  largest: [1, 1, 1],
};

let sent: { address: string; body: unknown }[] = [];

function show(maps = MAPS, address = "/maps/7") {
  const known = [
    [keys.conversion(7), CONVERSION],
    [keys.maps(7), maps],
  ] as const;
  render(
    <InTestApp known={known} at={address}>
      <Routes>
        <Route path="/maps/:conversion" element={<MapsScreen project={1} />} />
      </Routes>
    </InTestApp>,
  );
}

describe("the maps of a material", () => {
  beforeEach(() => {
    sent = [];
    vi.stubGlobal(
      "fetch",
      vi.fn(async (request: Request) => {
        if (request.url.endsWith("/state")) return Response.json({ engine_runs: false });
        if (request.method !== "GET") sent.push({ address: request.url, body: await request.json() });
        if (request.url.endsWith("/maps")) return Response.json(MAPS);
        return Response.json(request.url.endsWith("/picture") ? VIEW : CONVERSION);
      }),
    );
  });

  it("are listed with their sizes, the first one shown beside its source", async () => {
    show();
    expect(screen.getByRole("button", { name: /base_color/ }).textContent).toContain("512 × 256, graded");
    expect(screen.getByText("iron.png: 1024 × 512, 3 × 8 bits")).toBeTruthy();
    expect(await screen.findByRole("img", { name: "base_color, converted" })).toBeTruthy();
    expect(screen.getAllByText(/mean 0.25, 0.125, 0.0625/)).toHaveLength(2);
    expect(screen.getByText("Made 512 × 256 texels of 1024 × 512.")).toBeTruthy();
  });

  it("are graded by an edit that names the version it was made on", async () => {
    show();
    const field = screen.getByLabelText("base_color, saturation");
    await userEvent.clear(field);
    await userEvent.type(field, "0.8{Enter}");
    const edit = sent.find(({ address }) => address.endsWith("/values/base_color/grade"));
    expect(edit?.body).toEqual({ steps: [{ saturation: 0.8 }] });
  });

  it("of normals have no grade", () => {
    show(MAPS, "/maps/7?map=normal");
    expect(screen.queryByRole("region", { name: "Grade" })).toBeNull();
  });

  it("are missed with a word where there is none", () => {
    show([]);
    expect(screen.getByText(/No value of this conversion is a map/)).toBeTruthy();
  });
});
