import { render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import { keys } from "../../api/keys";
import type { KitDetail, OutsideCheck } from "../../api/types";
import { InTestApp } from "../../InTestApp";
import { OutsideScreen } from "./OutsideScreen";
import { pairName } from "./looks";

const decision = (verdict: "match" | "off", excess: number): OutsideCheck["decision"] => ({
  verdict,
  least: verdict,
  most: verdict,
  metric: "colour",
  rig: "soft_studio",
  text: `${verdict}: median colour difference ${excess}`,
  excess,
  unseen: [],
});

const check = (material: string, verdict: "match" | "off", first: "original" | "converted"): OutsideCheck => ({
  kit_id: 3,
  kit: "Heron Lode",
  rig: "soft_studio",
  material,
  material_id: 1,
  current: material !== "brass",
  first: { by: "ours", shows: first },
  second: { by: "theirs", shows: "original" },
  decision: decision(verdict, verdict === "off" ? 4 : 0.4),
  readings: [],
  statements: verdict === "off" ? ["It is shown as with roughness 0.75 instead of 0.25."] : [],
  pictures: { first: "a", second: "b", difference: "c" },
});

const kit: KitDetail = {
  id: 3,
  title: "Heron Lode, glTF",
  target: "metal_rough",
  profile: "extensions",
  rig: "soft_studio",
  stand: "sphere",
  turn: 0,
  width: 1968,
  height: 1476,
  created: "2026-11-27T10:00:00",
  materials: ["enamel", "brass"],
  on_the_web: true,
  verdict: decision("off", 4),
  pictures: [
    {
      shows: "original",
      name: "original.exr",
      space: "linear",
      compared: true,
      width: 1968,
      height: 1476,
      noise: 0.4,
      residual: 0.03,
      responses: [{ of: "emission", factor: 2, materials: ["lamp"] }],
      statements: [
        { code: "exposure", says: "It is exposed 0.33 EV brighter.", matched: true },
        { code: "light-orientation", says: "The light is mirrored left for right.", matched: false },
      ],
    },
  ],
  checks: [
    check("enamel", "match", "original"),
    check("brass", "off", "original"),
    check("enamel", "match", "converted"),
  ],
};

const profile = {
  stated: { id: "kiosk", title: "Kiosk", target: "metal_rough", emission_response: 1.5, metal_response: 1 },
  version: 4,
};
const target = { key: "kiosk", model: "metal_rough", profile: "extensions", title: "Kiosk", narrows: "metal_rough" };

const shown = (known: KitDetail[]) =>
  render(
    <InTestApp
      known={[
        [keys.kits(1), known],
        [keys.kit(3), kit],
        [keys.jobs(1), []],
        [["faults"], ["light mirrored"]],
        [["web viewers"], { first: "One viewer", second: "Another viewer" }],
        [keys.targets(1), [target]],
        [keys.profile(1, "extensions"), profile],
        [keys.rigs(1), []],
        [keys.stands(1), []],
      ]}
    >
      <OutsideScreen project={1} />
    </InTestApp>,
  );

describe("what came back for a kit", () => {
  it("tells apart what was matched and what was not, the worst material first", () => {
    shown([kit]);
    expect(screen.getByText(/exposed 0.33 EV/).textContent).toContain("Matched.");
    expect(screen.getByText(/mirrored left for right/).textContent).toContain("Not taken out.");
    const rows = within(screen.getByRole("table", { name: "Compared materials" })).getAllByRole("row");
    for (const said of ["brass", "converted otherwise since", "roughness 0.75"]) {
      expect(rows[1]?.textContent).toContain(said);
    }
    expect(screen.getByRole("img", { name: /brass, original, ours/ }).getAttribute("src")).toContain("a");
  });

  it("shows another material and another pair of looks", async () => {
    shown([kit]);
    await userEvent.click(screen.getByRole("button", { name: "enamel" }));
    expect(screen.getByRole("img", { name: /enamel, original, ours/ })).toBeTruthy();
    await userEvent.click(screen.getByText(pairName(kit.checks[2] as OutsideCheck)));
    expect(screen.getByRole("img", { name: /enamel, converted, ours/ })).toBeTruthy();
  });

  it("writes what it learned of a viewer into the project's own target profile", async () => {
    const sent: { version: string | null; body: unknown }[] = [];
    vi.stubGlobal("fetch", async (request: Request) => {
      sent.push({ version: request.headers.get("If-Match"), body: await request.json() });
      return Response.json({ ...profile, version: 5 });
    });
    shown([kit]);
    await userEvent.click(screen.getByRole("button", { name: /Correct it in “Kiosk”/ }));
    await vi.waitFor(() => expect(sent).toHaveLength(1));
    expect(sent[0]).toMatchObject({ version: '"4"', body: { emission_response: 3 } });
    vi.unstubAllGlobals();
  });

  it("has each web viewer draw it", async () => {
    const asked: string[] = [];
    vi.stubGlobal("fetch", (request: Request) => {
      asked.push(request.url);
      return Promise.resolve(Response.json([]));
    });
    shown([kit]);
    await userEvent.click(screen.getByRole("button", { name: "Another viewer draws the converted" }));
    await vi.waitFor(() => expect(asked[0]).toContain("/kits/3/web-view?viewer=second"));
    vi.unstubAllGlobals();
  });

  it("says what to do first while there is no kit", () => {
    shown([]);
    expect(screen.getByText(/Select materials on the board/)).toBeTruthy();
  });
});
