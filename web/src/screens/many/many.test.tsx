import { render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import { type PastAct, type Rehearsal } from "../../api/acts";
import { keys } from "../../api/keys";
import type { Parameter } from "../../api/types";
import { InTestApp } from "../../InTestApp";
import { decision, OPEN_PBR, ROUGHNESS, TARGETS } from "../../samplesInTests";
import { ManyScreen } from "./ManyScreen";

const BASE: Parameter = { ...ROUGHNESS, name: "base_color", kind: "colour", group: "body", default: [0.8, 0.8, 0.8] };
const found: Rehearsal = {
  words: "replace reflection: specular_roughness 0.3",
  changed: 2,
  before: { match: 2 },
  after: { match: 1, off: 1 },
  worse: 1,
  rows: [
    {
      conversion_id: 11,
      name: "enamel",
      changes: "specular_roughness set to 0.3",
      before: decision("match"),
      after: decision("off"),
      pictures: { before: "a", after: "b" },
    },
  ],
};
const past: PastAct = {
  id: 3,
  by: "Mira",
  kind: "many",
  title: "put coat back on 7",
  edits: 7,
  undone: false,
  undoable: true,
  created: "2026-01-01T10:00:00",
};
const job = { id: 9, kind: "rehearse", state: "done", total: 2, done: 2, failed: 0, errors: [], by: "Mira" };

function show(at = "/change?to=open_pbr&materials=1,2") {
  const sent: { path: string; body: unknown }[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    const { pathname } = new URL(request.url);
    if (request.method === "POST") {
      const text = await request.text();
      sent.push({ path: pathname, body: text === "" ? null : JSON.parse(text) });
      return Response.json(job);
    }
    if (pathname.endsWith("/rehearsal")) return Response.json(found);
    if (pathname.endsWith("/jobs")) return Response.json([job]);
    if (pathname.endsWith("/board"))
      return Response.json({ rows: [], total: 24, counts: {}, reviews: {}, unsettled: 0 });
    return Response.json([]);
  });
  render(
    <InTestApp
      known={[
        [keys.targets(1), TARGETS],
        [keys.models, [{ id: OPEN_PBR.model, title: "", source: "", parameters: [ROUGHNESS, BASE] }]],
        [keys.jobs(1), []],
        [keys.acts(1), [past]],
        [keys.savedActs(1), []],
      ]}
      at={at}
    >
      <ManyScreen project={1} />
    </InTestApp>,
  );
  return sent;
}

describe("an act on many", () => {
  afterEach(() => vi.unstubAllGlobals());

  it("is rehearsed on what was selected, says what would change, and is then done", async () => {
    const sent = show();
    expect(screen.getByRole("button", { name: "Rehearse it on 2" }).hasAttribute("disabled")).toBe(true);
    await userEvent.click(screen.getByRole("checkbox", { name: "reflection" }));
    expect(screen.queryByRole("checkbox", { name: "base_color" })).toBeNull();
    await userEvent.click(screen.getByRole("checkbox", { name: "specular_roughness" }));
    await userEvent.click(screen.getByRole("button", { name: "Rehearse it on 2" }));
    expect(sent[0]).toMatchObject({
      path: "/api/v1/projects/1/rehearsals",
      body: { act: { kind: "set", groups: ["reflection"], values: { specular_roughness: 0.3 } }, material_ids: [1, 2] },
    });
    const shown = within(await screen.findByRole("region", { name: "What it would change" }));
    expect(await shown.findByText(/2 would change: replace reflection/)).toBeTruthy();
    expect(shown.getByText("2 → 1")).toBeTruthy();
    expect(shown.getByText(/1 would be worse/)).toBeTruthy();
    expect(shown.getByRole("img", { name: "enamel, after" })).toBeTruthy();
    await vi.waitFor(() => expect(shown.getByRole("button", { name: "Apply" }).hasAttribute("disabled")).toBe(false));
    await userEvent.click(shown.getByRole("button", { name: "Apply" }));
    expect(sent.at(-1)?.path).toBe("/api/v1/jobs/9/rehearsal/act");
  });

  it("is kept only where its materials were asked for, not picked by hand", async () => {
    const selection = {
      question: { state: "off", find: "", file: "", model: "", lost: "", reason: "", review: "" },
      without: [],
      total: 4,
    };
    const sent = show(`/change?to=open_pbr&of=${encodeURIComponent(JSON.stringify(selection))}`);
    await userEvent.click(screen.getByTitle("Reset"));
    await userEvent.click(screen.getByRole("checkbox", { name: "body" }));
    expect(screen.getByRole("button", { name: "Rehearse it on 4" }).hasAttribute("disabled")).toBe(false);
    await userEvent.click(screen.getByRole("button", { name: "Save it…" }));
    await userEvent.type(screen.getByLabelText("What it is for"), "as derived{Enter}");
    expect(sent[0]).toMatchObject({
      path: "/api/v1/projects/1/saved-acts",
      body: { name: "as derived", question: { state: "off" }, act: { kind: "reset", groups: ["body"] } },
    });
  });

  it("makes variants under names of their own, and merges without being told more", async () => {
    const sent = show();
    await userEvent.click(screen.getByTitle("Make variants"));
    const rehearse = screen.getByRole("button", { name: /^Rehearse it on/ });
    expect(rehearse.hasAttribute("disabled")).toBe(true);
    await userEvent.type(screen.getByLabelText("What is put after each name"), "wet");
    await userEvent.click(rehearse);
    await userEvent.click(screen.getByTitle("Merge"));
    await userEvent.click(rehearse);
    expect(sent).toMatchObject([
      { path: "/api/v1/projects/1/rehearsals", body: { act: { kind: "variant", name: "wet" } } },
      { path: "/api/v1/projects/1/rehearsals", body: { act: { kind: "merge" } } },
    ]);
  });

  it("is taken back from the history as a whole", async () => {
    const sent = show();
    await userEvent.click(screen.getByRole("button", { name: "Undo: put coat back on 7" }));
    expect(sent.map(({ path }) => path)).toEqual(["/api/v1/acts/3/undo"]);
  });
});
