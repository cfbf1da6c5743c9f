import { fireEvent, render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { ReactNode } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Conversion, Finding, Parameter } from "../../api/types";
import { FindingList } from "../../parts/FindingList";
import { InTestApp } from "../../InTestApp";
import { decision, FIGURES, ROUGHNESS as base, PLAIN } from "../../samplesInTests";
import { CopyFrom } from "./CopyFrom";
import { LookUp } from "./LookUp";
import { Findings } from "./Findings";
import { Unread } from "./Unread";
import { TuneBar } from "./TuneBar";

const parameters: Parameter[] = [
  base,
  { ...base, name: "coat_roughness", group: "coat" },
  { ...base, name: "base_color", kind: "colour", group: "body" },
];
const entry = {
  target: "specular_roughness",
  group: "reflection",
  fidelity: "approximated",
  sources: [],
  derived: { constant: 0.4 },
  override: null,
  override_by: "",
  override_why: "",
  grade: [],
  shown: "0.4",
  shown_derived: "0.4",
  shown_nearest: "",
  steps: [],
  free: true,
  as_for: "",
};
const conversion: Conversion = {
  id: 1,
  version: 4,
  project_id: 1,
  material_id: 9,
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
  source_values: [],
  findings: [],
  ledger: [
    entry,
    { ...entry, target: "occlusion", derived: { constant: 0.5 } },
    { ...entry, target: "base_color", derived: { map: {} } },
  ],
  figures: FIGURES,
  verdict: decision("match"),
  checks: [],
  checking: false,
  outside: [],
};
const tables = {
  indices: [
    {
      id: "glass",
      title: "glass",
      value: 1.5,
      source: "common practice",
      choices: [],
      unread: false,
      accepted: false,
      low: null,
      high: null,
    },
  ],
  finishes: [
    {
      id: "rubber",
      title: "rubber",
      value: 0.75,
      source: "from memory",
      choices: [],
      unread: false,
      accepted: false,
      low: 0.6,
      high: 0.85,
    },
  ],
  metals: [
    {
      id: "gold",
      title: "gold",
      source: "Johnson & Christy 1972",
      choices: [],
      unread: false,
      accepted: false,
      colour: [1, 0.73, 0.36],
      tint: [0.99, 1, 0.98],
      outside: [1.04, 0.73, 0.36],
    },
  ],
};
const sent: Request[] = [];

beforeEach(() => {
  sent.length = 0;
  vi.stubGlobal(
    "fetch",
    vi.fn((request: Request) => {
      sent.push(request);
      const fitted = {
        conversion: { ...conversion, version: 5 },
        before: 0.12,
        after: 0.05,
        changed: ["specular_roughness"],
        free: ["specular_roughness"],
        tried: [
          { start: "with fuzz", after: 0.04, way: 1, objection: "mirrored detail would go from 1 to 7" },
          { start: "as converted", after: 0.05, way: 0.5, objection: "" },
        ],
      };
      if (request.method === "GET")
        return Promise.resolve(
          Response.json(request.url.endsWith("/shares") ? { error: 0.05, values: {}, losses: {} } : []),
        );
      return Promise.resolve(Response.json(request.url.endsWith("/fit") ? fitted : { ...conversion, version: 5 }));
    }),
  );
});
afterEach(() => vi.unstubAllGlobals());

function Around({ children }: { children: ReactNode }) {
  const row = {
    project_id: 1,
    material_id: 9,
    name: "enamel",
    model: "spec_gloss",
    file: "",
    findings: [],
    conversion_id: 1,
    overrides: 0,
    losses: [],
    approximated: 0,
    figures: null,
    verdict: null,
    outside: null,
    checks: [],
  };
  const known = [
    [["tables"], tables],
    [["presets"], [{ id: "wax", name: "Wax", says: "", color: "subsurface_color", values: {}, own: false }]],
    [["models"], [{ id: "open_pbr", title: "", source: "", choices: [], unread: false, accepted: false, parameters }]],
    [["conversion", 1], conversion],
    [["shares", 1, 4], { error: 0.12, values: {}, losses: {} }],
    [["board", 1, "open_pbr", "extensions"], [row]],
  ] as const;
  return <InTestApp known={known}>{children}</InTestApp>;
}

describe("tables at hand", () => {
  it.each([
    ["indices", "glass", 1.5],
    ["finishes", "rubber", 0.75],
    ["metal colours", "gold", [1, 0.73, 0.36]],
    ["metal tints", "gold", [0.99, 1, 0.98]],
  ] as const)("give what is looked up in %s", async (looked_up_in, title, value) => {
    const take = vi.fn();
    render(<LookUp parameter={{ ...base, looked_up_in }} take={take} />, { wrapper: Around });
    await userEvent.click(screen.getByRole("button", { name: "Look up specular_roughness" }));
    await userEvent.click(await screen.findByText(title));
    expect(take).toHaveBeenCalledWith(value);
  });

  it("say where a metal does not fit the gamut", async () => {
    render(
      <LookUp
        parameter={{ ...base, name: "base_color", kind: "colour", looked_up_in: "metal colours" }}
        take={() => undefined}
      />,
      {
        wrapper: Around,
      },
    );
    await userEvent.click(screen.getByRole("button", { name: "Look up base_color" }));
    expect(await screen.findByText(/cut to Rec.709/)).toBeTruthy();
  });

  it("are not offered where none fits", () => {
    render(<LookUp parameter={base} take={() => undefined} />, { wrapper: Around });
    expect(screen.queryByRole("button")).toBeNull();
  });
});

describe("copying", () => {
  it("offers only slots of the same kind, and names the version it was made on", async () => {
    render(<CopyFrom conversion={conversion} project={1} parameter={base} />, { wrapper: Around });
    await userEvent.click(screen.getByRole("button", { name: "Copy into specular_roughness" }));
    const copy = await screen.findByRole<HTMLButtonElement>("button", { name: "Copy" });
    expect(copy.disabled).toBe(true);
    fireEvent.mouseDown(screen.getByRole("combobox", { name: "Slot to copy from" }));
    expect(screen.queryByTitle("base_color")).toBeNull();
    await userEvent.click(await screen.findByTitle("coat_roughness"));
    await userEvent.click(copy);
    await waitFor(() => expect(sent.find((request) => request.method === "PUT")).toBeTruthy());
    const put = sent.find((request) => request.method === "PUT");
    expect(put?.headers.get("if-match")).toBe('"4"');
    expect(await put?.json()).toEqual({ conversion_id: 1, name: "coat_roughness" });
  });
});

describe("tuning", () => {
  it("sends what is locked and says what came of it", async () => {
    render(<TuneBar conversion={conversion} project={1} locked={new Set(["base_color"])} />, { wrapper: Around });
    expect(screen.getByText("12.0 %")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Fit the rest, 1 locked" }));
    expect(
      await screen.findByText(/12.0 % → 5.0 %, begun as converted, 50.0 % of the way, by specular_roughness/),
    ).toBeTruthy();
    expect(screen.getByText(/Not kept, begun with fuzz: mirrored detail would go from 1 to 7/)).toBeTruthy();
    expect(await sent.find((request) => request.url.endsWith("/fit"))?.json()).toEqual({ locked: ["base_color"] });
  });

  it("lays a named surface over the conversion", async () => {
    render(<TuneBar conversion={conversion} project={1} locked={new Set()} />, { wrapper: Around });
    fireEvent.mouseDown(screen.getByRole("combobox", { name: "Apply a named surface" }));
    await userEvent.click(await screen.findByTitle("Wax"));
    await waitFor(() => expect(sent.find((request) => request.url.endsWith("/preset"))).toBeTruthy());
    const put = sent.find((request) => request.url.endsWith("/preset"));
    expect(await put?.json()).toEqual({ preset: "wax" });
    expect(put?.headers.get("if-match")).toBe('"4"');
  });

  it("keeps constants as a preset, not maps or what OpenPBR lacks", async () => {
    render(<TuneBar conversion={conversion} project={1} locked={new Set()} />, { wrapper: Around });
    await userEvent.click(screen.getByRole("button", { name: "Keep as preset" }));
    await userEvent.type(await screen.findByLabelText("Name of the preset"), "pump green");
    await userEvent.click(screen.getByRole("button", { name: "Keep" }));
    await waitFor(() => expect(sent.find((request) => request.url.endsWith("/presets"))).toBeTruthy());
    expect(await sent.find((request) => request.url.endsWith("/presets"))?.json()).toMatchObject({
      name: "pump green",
      values: { specular_roughness: 0.4 },
    });
  });

  it("offers to reset only what was changed", () => {
    const { rerender } = render(<TuneBar conversion={conversion} project={1} locked={new Set()} />, {
      wrapper: Around,
    });
    expect(screen.queryByRole("button", { name: "Reset all" })).toBeNull();
    const changed = { ...conversion, ledger: [{ ...entry, override: { constant: 0.2 }, override_by: "fit" }] };
    rerender(<TuneBar conversion={changed} project={1} locked={new Set()} />);
    expect(screen.getByRole("button", { name: "Reset all" })).toBeTruthy();
  });
});

describe("findings", () => {
  const odd: Finding = {
    code: "half_metal",
    severity: "warning",
    message: "It is half a metal.",
    parameter: "base_metalness",
    evidence: "0.4",
    remedy: "Set it to 0.",
    usual: "0 or 1",
    source: "common practice",
    choices: [],
    unread: false,
    accepted: false,
    fix: { base_metalness: 0 },
  };

  it("let what was not read be accepted in one action", async () => {
    const lost = { ...odd, code: "not-read", severity: "problem" as const, fix: null, unread: true };
    const { rerender } = render(<Unread conversion={{ ...conversion, findings: [odd, lost] }} project={1} />, {
      wrapper: Around,
    });
    await userEvent.click(screen.getByRole("button", { name: "Accept, it does not matter" }));
    await waitFor(() => expect(sent.find((request) => request.url.endsWith("/unread/accepted"))).toBeTruthy());
    const put = sent.find((request) => request.url.endsWith("/unread/accepted"));
    expect([put?.method, put?.headers.get("if-match")]).toEqual(["PUT", '"4"']);
    rerender(<Findings conversion={{ ...conversion, findings: [odd, { ...lost, accepted: true }] }} project={1} />);
    expect(screen.getByText("Accepted: it does not matter.")).toBeTruthy();
    rerender(<Unread conversion={{ ...conversion, findings: [odd, { ...lost, accepted: true }] }} project={1} />);
    expect(screen.queryByRole("button", { name: /Accept/ })).toBeNull();
  });

  it("say what is usual and do their remedy in one action", async () => {
    const remedy = vi.fn();
    render(<FindingList findings={[odd, { ...odd, code: "other", fix: null }]} remedy={remedy} />);
    expect(screen.getAllByText(/Usual: 0 or 1 \(common practice\)/)).toHaveLength(2);
    await userEvent.click(screen.getByRole("button", { name: "Apply" }));
    expect(remedy).toHaveBeenCalledWith(odd);
  });
});
