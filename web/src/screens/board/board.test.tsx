import { render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useLocation } from "react-router";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { keys } from "../../api/keys";
import type { BoardRow, Job } from "../../api/types";
import { boardAnswer } from "../../boardInTests";
import { decision, TARGETS } from "../../samplesInTests";
import { InTestApp } from "../../InTestApp";
import { BoardScreen } from "./BoardScreen";

const check = {
  rig: "soft_studio",
  samples: 40,
  decision: decision("match"),
  pictures: { original: "a", converted: "b", difference: "c", pixels: "" },
};
const enamel: BoardRow = {
  material_id: 1,
  name: "enamel",
  model: "spec_gloss",
  file: "house.glb",
  merged_into: null,
  findings: [],
  conversion_id: 11,
  overrides: 0,
  losses: [],
  approximated: 2,
  plainness: "plain",
  unusual: 0,
  figures: decision("match"),
  verdict: decision("match"),
  outside: decision("near", "near: median colour difference 1.4 ΔE2000, at most 1"),
  checks: [check],
  review: null,
  version: 1,
};
const tube: BoardRow = {
  ...enamel,
  material_id: 2,
  name: "sight-glass tube",
  conversion_id: 12,
  verdict: decision("off", "off: light above white 59.8 ΔE2000, at most 3"),
  losses: ["refraction"],
  checks: [{ ...check, decision: decision("off") }],
};
const fresh: BoardRow = {
  ...enamel,
  material_id: 3,
  name: "fresh paint",
  conversion_id: null,
  figures: null,
  verdict: null,
  outside: null,
  review: null,
  version: 1,
  approximated: 0,
  plainness: "plain",
  unusual: 0,
  checks: [],
};
const doubt = {
  code: "missing-map",
  severity: "problem",
  message: "The map is missing.",
  parameter: "diffuse",
  evidence: "",
  remedy: "Hand it in.",
  usual: "",
  source: "",
  fix: null,
};

// The virtual list draws what fits into its box, which jsdom gives no size.
Object.defineProperties(Element.prototype, { clientHeight: { get: () => 800 }, clientWidth: { get: () => 1280 } });

const STARTED = {
  id: 5,
  project_id: 1,
  kind: "convert",
  title: "",
  by: "Mira",
  state: "queued",
  seconds_left: null,
  total: 1,
  done: 0,
  failed: 0,
  errors: [],
  archive: null,
  report: null,
  folder: "",
  validations: [],
  files: [],
  created: "",
  updated: "",
};
let sent: Request[] = [];

function Where() {
  const { pathname, search } = useLocation();
  return <span data-testid="where">{pathname + search}</span>;
}

let served: BoardRow[] = [];

async function show(rows: BoardRow[], jobs: Job[] = []) {
  served = rows;
  render(
    <InTestApp
      known={[
        [keys.targets(1), TARGETS],
        [keys.jobs(1), jobs],
        [["rigs", 1], [{ id: "soft_studio", title: "Soft studio", says: "" }]],
        [["projects"], [{ id: 1, name: "p", tolerances: {}, rigs: ["soft_studio"], materials: rows.length }]],
      ]}
      at="/board"
    >
      <BoardScreen project={1} />
      <Where />
    </InTestApp>,
  );
  await screen.findByText(`${rows.length} of ${rows.length} materials`);
}

describe("the board", () => {
  beforeEach(() => {
    sent = [];
    vi.stubGlobal(
      "fetch",
      vi.fn((request: Request) => {
        const address = new URL(request.url);
        if (address.pathname.endsWith("/board/choices"))
          return Promise.resolve(
            Response.json({ files: ["house.glb"], models: ["spec_gloss"], losses: ["coat"], reasons: ["colour"] }),
          );
        if (address.pathname.endsWith("/board")) return Promise.resolve(Response.json(boardAnswer(served, address)));
        if (request.method === "GET") return Promise.resolve(Response.json([]));
        sent.push(request);
        return Promise.resolve(Response.json(STARTED));
      }),
    );
  });

  it("shows each material with its verdict, its numbers and what is lost", async () => {
    await show([enamel, tube]);
    const line = within(screen.getByLabelText("sight-glass tube, off"));
    expect(line.getByText("light above white 59.8 ΔE2000, at most 3")).toBeTruthy();
    expect(line.getByText(/lost: refraction/)).toBeTruthy();
    expect(within(screen.getByLabelText("enamel, match")).getByText("2 approximated")).toBeTruthy();
    expect(screen.getByText("2 of 2 materials")).toBeTruthy();
  });

  it("counts import findings, but not notes", async () => {
    await show([{ ...enamel, findings: [doubt, { ...doubt, severity: "note" }] } as BoardRow]);
    expect(screen.getByText("1 import finding")).toBeTruthy();
  });

  it("keeps what needs attention, and finds by name whatever the case", async () => {
    await show([enamel, tube]);
    await userEvent.click(screen.getByTitle("needs attention"));
    expect(await screen.findByText("1 of 2 materials")).toBeTruthy();
    expect(screen.queryByLabelText("enamel, match")).toBeNull();
    await userEvent.click(screen.getByTitle("all"));
    await userEvent.type(screen.getByLabelText("Find by name"), "ENAM");
    expect(await screen.findByText("1 of 2 materials")).toBeTruthy();
    expect(screen.queryByLabelText("sight-glass tube, off")).toBeNull();
  });

  it("filters by verdict", async () => {
    await show([enamel, tube, fresh]);
    await userEvent.click(screen.getByTitle("off"));
    expect(await screen.findByText("1 of 3 materials")).toBeTruthy();
    expect(screen.getByLabelText("sight-glass tube, off")).toBeTruthy();
  });

  it("says what no picture shows, and keeps it apart from a match", async () => {
    const open = { ...decision("undecided"), unseen: ["occlusion of the original: not drawn."] };
    await show([enamel, { ...tube, verdict: open, losses: [], checks: [{ ...check, decision: open }] }]);
    const line = within(screen.getByLabelText("sight-glass tube, undecided"));
    expect(line.getByRole("img", { name: "undecided" })).toBeTruthy();
    expect(line.getByText(/1 not read or not drawn/)).toBeTruthy();
    expect(line.getByTitle(/occlusion of the original: not drawn.; measured at 40 samples a pixel/)).toBeTruthy();
    await userEvent.click(screen.getByTitle("undecided"));
    expect(await screen.findByText("1 of 2 materials")).toBeTruthy();
    expect(screen.queryByLabelText("enamel, match")).toBeNull();
  });

  it("opens the bench by Enter, and not for what is not converted yet", async () => {
    await show([fresh, enamel]);
    screen.getByLabelText("fresh paint, not checked yet").focus();
    await userEvent.keyboard("{Enter}");
    expect(screen.getByTestId("where").textContent).toBe("/board");
    await userEvent.keyboard("{ArrowDown}{Enter}");
    expect(screen.getByTestId("where").textContent).toMatch(/^\/bench\/11\?to=/);
  });

  it("acts on those selected by space, and says how many they are", async () => {
    await show([enamel, tube]);
    screen.getByLabelText("enamel, match").focus();
    await userEvent.keyboard(" {ArrowDown} ");
    const bar = within(screen.getByRole("toolbar", { name: "Selection" }));
    expect(bar.getByText("2 selected")).toBeTruthy();
    await userEvent.click(bar.getByRole("button", { name: /Convert and check to/ }));
    expect(await sent[0]?.json()).toMatchObject({ material_ids: [1, 2] });
  });

  it("selects all that it asks for, but one, and clears", async () => {
    await show([enamel, tube]);
    await userEvent.click(screen.getByLabelText("Select all shown"));
    expect(screen.getByText("2 selected")).toBeTruthy();
    await userEvent.click(screen.getByLabelText("Select enamel"));
    await userEvent.click(screen.getByRole("button", { name: /Convert and check to/ }));
    expect(await sent[0]?.json()).toMatchObject({ question: { state: "", find: "", without: [1] } });
    await userEvent.click(screen.getByLabelText("Select all shown"));
    await userEvent.click(screen.getByRole("button", { name: "Clear" }));
    expect(screen.queryByRole("toolbar")).toBeNull();
  });

  it("takes those selected to a fit, which is rehearsed first", async () => {
    await show([enamel, tube]);
    await userEvent.click(screen.getByLabelText("Select sight-glass tube"));
    await userEvent.click(screen.getByRole("button", { name: "Fit these…" }));
    expect(screen.getByTestId("where").textContent).toMatch(/^\/change\?.*kind=fit&materials=2$/);
  });

  it("takes those selected to the delivery", async () => {
    await show([enamel, tube]);
    await userEvent.click(screen.getByLabelText("Select sight-glass tube"));
    await userEvent.click(screen.getByRole("button", { name: "Deliver these" }));
    expect(screen.getByTestId("where").textContent).toMatch(/^\/deliver\?.*materials=2$/);
  });

  it("offers to convert what is not converted", async () => {
    await show([enamel, fresh]);
    expect(screen.getByText(/not converted to/)).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Convert and check them" }));
    expect(await sent[0]?.json()).toMatchObject({ question: { state: "not converted", without: [] } });
  });

  it("does not offer again what is under way", async () => {
    await show([enamel, fresh], [{ ...STARTED, state: "running" }] as Job[]);
    expect(screen.queryByText(/not converted to/)).toBeNull();
  });

  it("is sorted by the worst reading, turned round, and reset", async () => {
    await show([enamel, tube]);
    const fetched = vi.mocked(fetch).mock.calls;
    const last = () =>
      new URL((fetched.findLast(([one]) => (one as Request).url.includes("/board?"))?.[0] as Request).url);
    const head = () => screen.getByRole("button", { name: /^Worst reading/ });
    for (const down of ["true", "false"]) {
      await userEvent.click(head());
      await vi.waitFor(() => expect(last().searchParams.get("descending")).toBe(down));
      expect(last().searchParams.get("sort")).toBe("worst");
    }
    await userEvent.click(head());
    expect(head().getAttribute("aria-pressed")).toBe("false");
  });

  it("is sorted by the worst reading in one light, and asks for what is lost", async () => {
    await show([enamel, tube]);
    const fetched = vi.mocked(fetch).mock.calls;
    const said = (name: string) =>
      fetched.flatMap(([one]) => new URL((one as Request).url).searchParams.getAll(name)).at(-1);
    await userEvent.click(screen.getByRole("button", { name: /^Quick figures/ }));
    await vi.waitFor(() => expect(said("sort")).toBe("rig:"));
    expect(said("descending")).toBe("true");
    await userEvent.click(screen.getByRole("combobox", { name: "Lost" }));
    await userEvent.click(await screen.findByTitle("coat"));
    await vi.waitFor(() => expect(said("lost")).toBe("coat"));
  });

  it("leads to the bench with what it asks for, so that one goes on from there", async () => {
    await show([enamel, tube]);
    await userEvent.click(screen.getByTitle("off"));
    expect(await screen.findByText("1 of 2 materials")).toBeTruthy();
    await userEvent.click(screen.getByLabelText("sight-glass tube, off"));
    expect(screen.getByTestId("where").textContent).toBe("/bench/12?to=open_pbr&state=off");
  });

  it("says where to begin when it is empty", async () => {
    await show([]);
    await userEvent.click(await screen.findByRole("button", { name: "Import files" }));
    expect(screen.getByTestId("where").textContent).toBe("/take-in");
  });
});
