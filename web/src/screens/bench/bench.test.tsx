import { fireEvent, render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { ReactNode } from "react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Check, Conversion, LedgerEntry, OutsideCheck, Parameter } from "../../api/types";
import { InTestApp } from "../../InTestApp";
import { decision, FIGURES, ROUGHNESS as parameter, PLAIN } from "../../samplesInTests";
import { AlsoMeasured } from "./AlsoMeasured";
import { Ledger } from "./Ledger";
import { Readings } from "./Readings";
import type { BenchView } from "./useBenchView";
import { Plot } from "../../parts/Plot";
import type { Look } from "./useLook";

const step = {
  rule: "spec_gloss.to_hub.roughness",
  text: "1 − glossiness 0.25",
  source: "a published text",
  fidelity: "exact",
  inputs: [],
  remark: "",
};
const entry: LedgerEntry = {
  target: "specular_roughness",
  group: "reflection",
  fidelity: "exact",
  sources: ["glossiness"],
  derived: { constant: 0.75 },
  override: null,
  override_by: "",
  override_why: "",
  grade: [],
  shown: "0.75",
  shown_derived: "0.75",
  shown_nearest: "",
  steps: [step],
  free: true,
  as_for: "",
};
const fuzz: Parameter = { ...parameter, name: "fuzz_weight", group: "fuzz", default: 0 };

function conversion(ledger: LedgerEntry[]): Conversion {
  return {
    id: 1,
    version: 4,
    project_id: 1,
    material_id: 1,
    name: "enamel",
    model: "spec_gloss",
    target: "open_pbr",
    target_title: "OpenPBR",
    profile: "extensions",
    variants: [],
    file: "a.glb",
    aim: "nearest",
    plainness: PLAIN,
    choice: null,
    source_values: [{ name: "glossiness", group: "reflection", shown: "0.25", says: "", constant: 0.25 }],
    findings: [],
    ledger,
    figures: FIGURES,
    verdict: decision("match"),
    checks: [],
    checking: false,
    outside: [],
  };
}

function Around({ children }: { children: ReactNode }) {
  const known = [
    [["models"], [{ id: "open_pbr", title: "", source: "", parameters: [parameter, fuzz] }]],
    [
      ["tables"],
      { indices: [{ id: "glass", title: "glass", value: 1.5, source: "common practice" }], finishes: [], metals: [] },
    ],
    [["presets"], []],
    [
      ["metrics"],
      [
        { id: "colour", title: "colour", says: "", unit: "ΔE2000", of: "pictures", limits: { match: 1, near: 2.5 } },
        { id: "own", title: "of a studio", says: "", unit: "", of: "pictures", limits: null },
      ],
    ],
    [
      ["rigs", 1],
      [
        { id: "soft_studio", title: "Soft studio", says: "" },
        { id: "low_sun", title: "Low sun", says: "" },
      ],
    ],
    [["projects"], [{ id: 1, name: "p", tolerances: {}, rigs: ["soft_studio", "low_sun"], materials: 1 }]],
    [["shares", 1, 4], { error: 0.1, values: { specular_roughness: 0.6 }, losses: {} }],
  ] as const;
  return <InTestApp known={known}>{children}</InTestApp>;
}

describe("the ledger", () => {
  beforeEach(() => {
    vi.stubGlobal(
      "fetch",
      vi.fn(() => Promise.resolve(Response.json([]))),
    );
  });

  it("says how much of the difference a value causes, and lets it be locked where a fit may move it", async () => {
    render(<Ledger conversion={conversion([{ ...entry, fidelity: "approximated" }])} project={1} />, {
      wrapper: Around,
    });
    expect(screen.getByText("60 % of Δ")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "lock" }));
    expect(screen.getByRole("button", { name: "Fit the rest, 1 locked" })).toBeTruthy();
  });

  it("says who set a value over the derived one, and why", () => {
    const why = "least squares on what the verdict depends on";
    render(
      <Ledger
        conversion={conversion([{ ...entry, override: { constant: 0.6 }, override_by: "fit", override_why: why }])}
        project={1}
      />,
      { wrapper: Around },
    );
    expect(screen.getByText(/fitted$/)).toBeTruthy();
    expect(screen.getByText(why)).toBeTruthy();
  });

  it("shows source, rule with its numbers, where it comes from, fidelity and value", () => {
    render(<Ledger conversion={conversion([entry])} project={1} />, { wrapper: Around });
    const group = within(screen.getByRole("group", { name: "reflection" }));
    for (const text of ["0.25", "1 − glossiness 0.25", "[a published text]"])
      expect(group.getByText(text)).toBeTruthy();
    expect(group.getByText(/exact/)).toBeTruthy();
    expect(group.getByLabelText<HTMLInputElement>("specular_roughness").value).toBe("0.75");
  });

  it("does not repeat a rule that gave two values", () => {
    render(
      <Ledger
        conversion={conversion([entry, { ...entry, target: "fuzz_weight", as_for: "specular_roughness" }])}
        project={1}
      />,
      {
        wrapper: Around,
      },
    );
    expect(screen.getAllByText("1 − glossiness 0.25")).toHaveLength(1);
    expect(screen.getByText("by the same rule")).toBeTruthy();
  });

  it("names what was dropped", () => {
    render(
      <Ledger conversion={conversion([{ ...entry, target: "", fidelity: "dropped", derived: null }])} project={1} />,
      { wrapper: Around },
    );
    expect(screen.getByText("no value in the target")).toBeTruthy();
    expect(screen.getByText(/dropped/)).toBeTruthy();
  });

  it("shows values at their default only where asked", async () => {
    render(<Ledger conversion={conversion([entry])} project={1} />, { wrapper: Around });
    expect(screen.queryByLabelText("fuzz_weight")).toBeNull();
    await userEvent.click(screen.getByRole("checkbox"));
    expect(screen.getByLabelText("fuzz_weight")).toBeTruthy();
  });

  it("sends an edit with the version that it was made on, and puts it back", async () => {
    const fetched = vi.fn((request: Request) =>
      Promise.resolve(
        Response.json(
          request.method === "GET" ? { error: 0.1, values: {}, losses: {} } : { ...conversion([entry]), version: 5 },
        ),
      ),
    );
    vi.stubGlobal("fetch", fetched);
    render(
      <Ledger conversion={conversion([{ ...entry, override: { constant: 0.5 }, override_by: "hand" }])} project={1} />,
      { wrapper: Around },
    );
    const input = screen.getByLabelText("specular_roughness");
    await userEvent.clear(input);
    await userEvent.type(input, "0.9{Enter}");
    await userEvent.click(screen.getByRole("button", { name: /^reset/ }));
    const [edit, back] = fetched.mock.calls.map(([request]) => request).filter((request) => request.method !== "GET");
    expect([edit?.method, back?.method]).toEqual(["PATCH", "DELETE"]);
    expect(edit?.headers.get("if-match")).toBe('"4"');
    expect(await edit?.json()).toEqual({ value: 0.9 });
    vi.unstubAllGlobals();
  });
});

describe("the readings", () => {
  const view: BenchView = {
    rig: "low_sun",
    stand: "sphere",
    turn: 0,
    shownAs: "pair",
    stops: 0,
    measure: "ΔE2000",
    most: 10,
    marks: [],
    only: [],
    without: [],
    alone: undefined,
    against: undefined,
  };
  const colour = {
    metric: "colour",
    value: 1.25,
    floor: 0.3,
    original: null,
    converted: null,
    verdict: "near" as const,
    match: 1,
    near: 2.5,
  };
  const look: Look = {
    pictures: undefined,
    stale: false,
    originalStale: false,
    decision: {
      ...decision("near", "near: colour 1.25 ΔE2000, at most 1"),
      unseen: ["occlusion is set and not drawn"],
    },
    readings: [colour, { ...colour, metric: "own", value: 0.125, floor: 0, verdict: null }],
    figures: FIGURES,
    samples: 64,
    preparing: false,
    refining: false,
    failure: undefined,
  };
  const checked: Check = {
    id: 1,
    rig: "low_sun",
    stand: "sphere",
    turn: 0,
    size: 128,
    samples: 64,
    decision: decision("near"),
    readings: [],
    pictures: { original: "a", converted: "b", difference: "c", pixels: "" },
  };

  function show(shown: Look, checks: Check[] = [checked]) {
    render(<Readings conversion={{ ...conversion([]), checks }} project={1} view={view} look={shown} />, {
      wrapper: Around,
    });
  }

  it("say what decided, each reading with its noise and its limit, and what decides nothing", () => {
    show(look);
    for (const text of [
      /near: colour 1.25/,
      "1.25",
      "±0.30",
      "≤1.00",
      "28.0",
      "≤6.00",
      "occlusion is set and not drawn",
    ])
      expect(screen.getByText(text)).toBeTruthy();
  });

  it("stand beside what decides nothing but is known", () => {
    render(<AlsoMeasured look={look} />, { wrapper: Around });
    for (const text of ["of a studio", "0.13", "8.0 %", "92.1 → 85.6", "64"])
      expect(screen.getByText(text)).toBeTruthy();
  });

  it("say which rig is not checked yet", () => {
    show({ ...look, decision: undefined, readings: [] }, []);
    expect(screen.getByText("low sun: not measured yet")).toBeTruthy();
    expect(screen.getAllByText("not checked yet")).toHaveLength(2);
  });

  it("say what another renderer showed, of the kit that was compared last", () => {
    const check = (kit_id: number, by: "ours" | "theirs"): OutsideCheck => ({
      kit_id,
      kit: "kit",
      rig: "soft_studio",
      material: "enamel",
      material_id: 1,
      current: true,
      first: { by: "ours", shows: "original" },
      second: { by, shows: "converted" },
      decision: decision("near"),
      readings: [],
      statements: ["It is shown as with roughness 0.3 instead of 0.25."],
      pictures: { first: "a", second: "b", difference: "c" },
    });
    const outside = [check(1, "theirs"), check(2, "theirs"), check(2, "ours")];
    render(<Readings conversion={{ ...conversion([]), outside }} project={1} view={view} look={look} />, {
      wrapper: Around,
    });
    const told = within(screen.getByRole("list", { name: "Verdicts from outside" })).getAllByRole("listitem");
    expect(told).toHaveLength(1);
    expect(told[0]?.title).toContain("roughness 0.3");
    expect(told[0]?.textContent).toContain("our original · their converted");
  });

  it("stay, dimmed, until new ones are there", () => {
    show({ ...look, stale: true });
    expect(screen.getByLabelText("Measured results").dataset["dimmed"]).toBe("true");
    expect(screen.getByText("1.25")).toBeTruthy();
  });

  it("draw both surfaces as two lines that differ in more than colour", () => {
    const { container } = render(
      <Plot
        label="reflectance"
        at={[10, 45, 80]}
        original={[0.1, 0.1, 0.4]}
        converted={[0.1, 0.2, 0.3]}
        ticks={[30]}
        unit="°"
      />,
    );
    const [first, second] = [...container.querySelectorAll("path")];
    expect(first?.getAttribute("d")).not.toBe(second?.getAttribute("d"));
    expect(first?.getAttribute("stroke-dasharray")).toBeNull();
    expect(second?.getAttribute("stroke-dasharray")).not.toBeNull();
    fireEvent.pointerMove(screen.getByRole("img"), { clientX: 0 });
    expect(screen.getByText(/original 0.10/)).toBeTruthy();
  });
});
