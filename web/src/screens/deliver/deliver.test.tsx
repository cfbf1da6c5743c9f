import { render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { keys } from "../../api/keys";
import type { BoardRow, DeliveryDifference, DeliveryPlan, Job, Verdict } from "../../api/types";
import { boardAnswer } from "../../boardInTests";
import { decision, TARGETS } from "../../samplesInTests";
import { InTestApp } from "../../InTestApp";
import { DeliverScreen } from "./DeliverScreen";

const row = (material_id: number, name: string, verdict: Verdict | null) =>
  ({
    material_id,
    name,
    model: "spec_gloss",
    file: "a.glb",
    merged_into: null,
    findings: [],
    conversion_id: material_id,
    overrides: 0,
    losses: [],
    approximated: 0,
    plainness: "plain",
    unusual: 0,
    figures: null,
    outside: null,
    review: null,
    version: 1,
    verdict: verdict === null ? null : decision(verdict),
    checks: [],
  }) as BoardRow;
const ROWS = [row(1, "enamel", "match"), row(2, "brass", "near"), row(3, "brick", null)];
const written: Job = {
  id: 4,
  project_id: 1,
  kind: "deliver",
  title: "Write 2 as glTF 2.0",
  state: "done",
  total: 1,
  done: 1,
  failed: 0,
  errors: [],
  archive: "abc",
  folder: "",
  validations: [],
  created: "",
  files: Array.from({ length: 10 }, (_, index) => ({ name: `map_${index}.png`, size: 150_000, digest: "d" })),
} as unknown as Job;

const PLAN: DeliveryPlan = {
  doubtful: 2,
  doubts: ["brass (near)", "brick (not checked)"],
  materials: 3,
  unconverted: 1,
  maps: 2,
  memory: 12_600_000,
  most_memory: 8_000_000,
  advice: [
    {
      code: "over_budget",
      text: "The maps take more than allowed.",
      remedy: "Take smaller maps.",
      count: 1,
      materials: ["enamel"],
    },
  ],
  checklist: [
    {
      feature: "coat",
      title: "a clear coat",
      says: "Switch on clear coat.",
      shown: true,
      count: 1,
      materials: ["brass"],
    },
  ],
  losses: [{ text: "fuzz has no place in it.", count: 2, materials: ["brass", "brick"] }],
};

let sent: unknown[] = [];

async function show(address = "/deliver", jobs: Job[] = []) {
  render(
    <InTestApp
      known={[
        [keys.targets(1), TARGETS],
        [keys.jobs(1), jobs],
      ]}
      at={address}
    >
      <DeliverScreen project={1} />
    </InTestApp>,
  );
  await screen.findByRole("checkbox", { name: "enamel" });
}

const DIFFERENCE: DeliveryDifference = {
  titles: ["first", "second"],
  targets: ["glTF", "glTF"],
  same: 7,
  changed: [
    {
      name: "brass",
      source: "a.glb",
      values: [{ name: "roughness", before: "0.4", after: "0.25" }],
      was: "match",
      now: "near",
    },
  ],
  added: [],
  removed: ["brick (a.glb)"],
  files_changed: ["a/a.glb"],
  files_added: [],
  files_removed: [],
};

describe("the delivery", () => {
  beforeEach(() => {
    sent = [];
    vi.stubGlobal(
      "fetch",
      vi.fn(async (request: Request) => {
        const address = new URL(request.url);
        if (address.pathname.endsWith("/jobs/4/archive/since/3")) return Response.json(DIFFERENCE);
        if (address.pathname.endsWith("/board")) return Response.json(boardAnswer(ROWS, address));
        if (address.pathname.endsWith("/plan")) {
          const { material_ids: ids } = (await request.json()) as { material_ids?: number[] };
          return Response.json(ids?.length === 1 ? { ...PLAN, doubtful: 0, doubts: [] } : PLAN);
        }
        sent.push(await request.json());
        return Response.json({ ...written, state: "queued" }, { status: 202 });
      }),
    );
  });

  it("writes all materials by default, and says which do not match", async () => {
    await show();
    expect(await screen.findByText(/^2 of 3 do not match.*brass \(near\), brick \(not checked\)/)).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Write 3 materials" }));
    expect(sent[0]).toEqual({
      question: { state: "", find: "", file: "", model: "", lost: "", reason: "", review: "", without: [] },
      target: "open_pbr",
      profile: "extensions",
      to_folder: false,
    });
  });

  it("writes those that were chosen on the board, to the target of the board", async () => {
    await show("/deliver?to=metal_rough.core&materials=1,2");
    expect(screen.getByRole<HTMLInputElement>("radio", { name: /glTF core/ }).checked).toBe(true);
    await userEvent.click(screen.getByRole("button", { name: "Write 2 materials" }));
    expect(sent[0]).toEqual({ material_ids: [1, 2], target: "metal_rough", profile: "core", to_folder: false });
  });

  it("takes a material out and in again, and writes none without one", async () => {
    await show("/deliver?materials=1");
    await userEvent.click(screen.getByRole("checkbox", { name: "enamel" }));
    expect(screen.getByRole("button", { name: "Write 0 materials" }).hasAttribute("disabled")).toBe(true);
    await userEvent.click(screen.getByRole("checkbox", { name: "enamel" }));
    expect(await screen.findByText("All of them match.")).toBeTruthy();
    expect(screen.getByRole("button", { name: "Write 1 material" })).toBeTruthy();
  });

  it("says what it costs and loses before anything is written", async () => {
    await show();
    const costs = await screen.findByRole("group", { name: "What it costs" });
    expect(costs.textContent).toContain("2 maps, 13 MB in a renderer’s memory, of 8.0 that the profile allows.");
    expect(costs.textContent).toContain("1 of 3 are not converted to it yet");
    expect(within(costs).getByText("Take smaller maps.")).toBeTruthy();
    expect(within(costs).getByText("brass, brick")).toBeTruthy();
  });

  it("leaves out what does not match in one action", async () => {
    await show();
    await userEvent.click(await screen.findByRole("button", { name: "Write only what matches" }));
    await userEvent.click(screen.getByRole("button", { name: "Write 1 material" }));
    expect(sent[0]).toMatchObject({ question: { state: "match", without: [] } });
  });

  it("finds materials by name, and chooses all that are found but one", async () => {
    await show("/deliver?materials=1");
    await userEvent.type(screen.getByRole("searchbox", { name: "Find by name" }), "br");
    await userEvent.click(await screen.findByRole("button", { name: "Choose the 2 found" }));
    expect(screen.queryByRole("checkbox", { name: "enamel" })).toBeNull();
    await userEvent.click(screen.getByRole("checkbox", { name: "brick" }));
    await userEvent.click(screen.getByRole("button", { name: "Write 1 material" }));
    expect(sent[0]).toMatchObject({ question: { find: "br", without: [3] } });
  });

  it("changes the way of writing", async () => {
    await show();
    await userEvent.click(screen.getByRole("radio", { name: /^glTF core/ }));
    await userEvent.click(screen.getByRole("button", { name: "Write 3 materials" }));
    expect(sent[0]).toMatchObject({ target: "metal_rough", profile: "core" });
  });

  it("does not offer a target that nothing here writes", async () => {
    await show("/deliver?to=own");
    expect(screen.getByRole<HTMLInputElement>("radio", { name: /^Studio model/ }).disabled).toBe(true);
    expect(screen.getByRole("button", { name: "Write 3 materials" }).hasAttribute("disabled")).toBe(true);
  });

  it("lists what was written, with its size and the way to it", async () => {
    await show("/deliver", [written]);
    const link = screen.getByRole<HTMLAnchorElement>("link", { name: "Download, 1.5 MB in 10 files" });
    expect(link.getAttribute("href")).toBe("/api/v1/jobs/4/archive");
    expect(within(screen.getByRole("region", { name: "Materials" })).getByText("and 4 more")).toBeTruthy();
  });

  it("says what a delivery holds otherwise than an earlier one", async () => {
    const [now, before] = ["2026-11-28T10:00:00", "2026-11-27T10:00:00"];
    await show("/deliver", [
      { ...written, created: now },
      { ...written, id: 3, title: "Write 3 as glTF 2.0", created: before },
    ]);
    await userEvent.click(screen.getByRole("combobox", { name: "What changed in Write 2 as glTF 2.0 since" }));
    await userEvent.click(await screen.findByTitle(/^Write 3 as glTF 2.0, /));
    expect((await screen.findByText("1 changed, 7 the same, 0 new, 1 gone")).textContent).toBeTruthy();
    const line = within(screen.getByRole("row", { name: /^brass/ }));
    expect(line.getByRole("cell", { name: /^roughness 0.4 → 0.25/ })).toBeTruthy();
    expect(line.getByRole("img", { name: "near" })).toBeTruthy();
    expect(screen.getByText(/brick \(a.glb\)/)).toBeTruthy();
  });

  it("says what the validators found in what was written", async () => {
    const fault = { file: "pump/pump.glb", by: "glTF validator", errors: 1, said: ["/nodes/0: Node Empty"] };
    await show("/deliver", [{ ...written, folder: "/srv/out/kiosk", validations: [fault] }]);
    expect(screen.getByRole("status", { name: "Validation" }).textContent).toContain(
      "glTF validator: 1 fault. /nodes/0",
    );
    expect(screen.getByText("/srv/out/kiosk")).toBeTruthy();
  });

  it("says why a delivery failed", async () => {
    await show("/deliver", [
      {
        ...written,
        state: "failed",
        archive: null,
        files: [],
        errors: ["“enamel.png” could not be written (disk full)."],
      },
    ]);
    expect(screen.getByText(/could not be written/)).toBeTruthy();
    expect(screen.queryByRole("link")).toBeNull();
  });
});
