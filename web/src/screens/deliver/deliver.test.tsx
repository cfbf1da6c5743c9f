import { render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { keys, type BoardRow, type Job, type Verdict } from "../../api/queries";
import { decision, TARGETS } from "../../samplesInTests";
import { InTestApp } from "../../InTestApp";
import { DeliverScreen } from "./DeliverScreen";

const row = (material_id: number, name: string, verdict: Verdict | null) =>
  ({
    material_id,
    name,
    model: "spec_gloss",
    file: "a.glb",
    findings: [],
    conversion_id: material_id,
    overrides: 0,
    losses: [],
    approximated: 0,
    figures: null,
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
  created: "",
  files: Array.from({ length: 10 }, (_, index) => ({ name: `map_${index}.png`, size: 150_000, digest: "d" })),
} as unknown as Job;

let sent: unknown[] = [];

function show(address = "/deliver", jobs: Job[] = []) {
  const boards = TARGETS.map((target) => [keys.board(1, target), ROWS] as const);
  render(
    <InTestApp known={[[keys.targets, TARGETS], ...boards, [keys.jobs(1), jobs]]} at={address}>
      <DeliverScreen project={1} />
    </InTestApp>,
  );
}

describe("the delivery", () => {
  beforeEach(() => {
    sent = [];
    vi.stubGlobal(
      "fetch",
      vi.fn(async (request: Request) => {
        sent.push(await request.json());
        return Response.json({ ...written, state: "queued" }, { status: 202 });
      }),
    );
  });

  it("writes all materials by default, and says which do not match", async () => {
    show();
    expect(screen.getByText("2 of 3 do not match, or are not checked")).toBeTruthy();
    expect(screen.getByText("not checked")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Write 3 materials" }));
    expect(sent[0]).toEqual({
      material_ids: [1, 2, 3],
      target: "open_pbr",
      profile: "extensions",
    });
  });

  it("writes those that were chosen on the board, to the target of the board", async () => {
    show("/deliver?to=metal_rough.core&materials=1,2");
    expect(screen.getByRole<HTMLInputElement>("radio", { name: /glTF core/ }).checked).toBe(true);
    await userEvent.click(screen.getByRole("button", { name: "Write 2 materials" }));
    expect(sent[0]).toEqual({ material_ids: [1, 2], target: "metal_rough", profile: "core" });
  });

  it("takes a material out and in again, and writes none without one", async () => {
    show("/deliver?materials=1");
    await userEvent.click(screen.getByRole("checkbox", { name: "enamel" }));
    expect(screen.getByRole("button", { name: "Write 0 materials" }).hasAttribute("disabled")).toBe(true);
    await userEvent.click(screen.getByRole("checkbox", { name: "enamel" }));
    expect(screen.getByText("all of them match")).toBeTruthy();
    expect(screen.getByRole("button", { name: "Write 1 material" })).toBeTruthy();
  });

  it("changes the way of writing", async () => {
    show();
    await userEvent.click(screen.getByRole("radio", { name: /^glTF core/ }));
    await userEvent.click(screen.getByRole("button", { name: "Write 3 materials" }));
    expect(sent[0]).toMatchObject({ target: "metal_rough", profile: "core" });
  });

  it("does not offer a target that nothing here writes", () => {
    show("/deliver?to=own");
    expect(screen.getByRole<HTMLInputElement>("radio", { name: /^Studio model/ }).disabled).toBe(true);
    expect(screen.getByRole("button", { name: "Write 3 materials" }).hasAttribute("disabled")).toBe(true);
  });

  it("lists what was written, with its size and the way to it", () => {
    show("/deliver", [written]);
    const link = screen.getByRole<HTMLAnchorElement>("link", { name: "Download, 1.5 MB in 10 files" });
    expect(link.getAttribute("href")).toBe("/api/v1/jobs/4/archive");
    expect(within(screen.getByRole("region", { name: "Materials" })).getByText("and 2 more")).toBeTruthy();
  });

  it("says why a delivery failed", () => {
    show("/deliver", [
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
