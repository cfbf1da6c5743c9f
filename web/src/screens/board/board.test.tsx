import { render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useLocation } from "react-router";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { keys, type BoardRow, type Job } from "../../api/queries";
import { decision, OPEN_PBR, TARGETS } from "../../samplesInTests";
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
  findings: [],
  conversion_id: 11,
  overrides: 0,
  losses: [],
  approximated: 2,
  figures: decision("match"),
  verdict: decision("match"),
  outside: decision("near", "near: colour, half of the body 1.4 ΔE2000, at most 1"),
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
  state: "queued",
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
  return <output>{pathname + search}</output>;
}

function show(rows: BoardRow[], jobs: Job[] = []) {
  render(
    <InTestApp
      known={[
        [keys.targets(1), TARGETS],
        [keys.board(1, OPEN_PBR), rows],
        [keys.jobs(1), jobs],
        [["rigs", 1], [{ id: "soft_studio", title: "Soft studio", says: "" }]],
        [["projects"], [{ id: 1, name: "p", tolerances: {}, rigs: ["soft_studio"], materials: 1 }]],
      ]}
      at="/board"
    >
      <BoardScreen project={1} />
      <Where />
    </InTestApp>,
  );
}

describe("the board", () => {
  beforeEach(() => {
    sent = [];
    vi.stubGlobal(
      "fetch",
      vi.fn((request: Request) => {
        if (request.method === "GET") return Promise.resolve(Response.json([]));
        sent.push(request);
        return Promise.resolve(Response.json(STARTED));
      }),
    );
  });

  it("shows each material with its verdict, its numbers and what is lost", () => {
    show([enamel, tube]);
    const line = within(screen.getByLabelText("sight-glass tube, off"));
    expect(line.getByText("light above white 59.8 ΔE2000, at most 3")).toBeTruthy();
    expect(line.getByText(/lost: refraction/)).toBeTruthy();
    expect(within(screen.getByLabelText("enamel, match")).getByText("2 approximated")).toBeTruthy();
    expect(screen.getByText("2 of 2 materials")).toBeTruthy();
  });

  it("counts doubts at the door, but not notes", () => {
    show([{ ...enamel, findings: [doubt, { ...doubt, severity: "note" }] } as BoardRow]);
    expect(screen.getByText("1 doubt at the door")).toBeTruthy();
  });

  it("keeps what needs attention, and finds by name whatever the case", async () => {
    show([enamel, tube]);
    await userEvent.click(screen.getByText("needs attention"));
    expect(screen.queryByLabelText("enamel, match")).toBeNull();
    expect(screen.getByText("1 of 2 materials")).toBeTruthy();
    await userEvent.click(screen.getByText("all"));
    await userEvent.type(screen.getByLabelText("Find by name"), "ENAM");
    expect(screen.queryByLabelText("sight-glass tube, off")).toBeNull();
    expect(screen.getByText("1 of 2 materials")).toBeTruthy();
  });

  it("filters by verdict", async () => {
    show([enamel, tube, fresh]);
    await userEvent.click(screen.getByTitle("off"));
    expect(screen.getByLabelText("sight-glass tube, off")).toBeTruthy();
    expect(screen.getByText("1 of 3 materials")).toBeTruthy();
  });

  it("says what no picture shows, and keeps it apart from a match", async () => {
    const open = { ...decision("undecided"), unseen: ["occlusion of the original: not drawn."] };
    show([enamel, { ...tube, verdict: open, losses: [], checks: [{ ...check, decision: open }] }]);
    const line = within(screen.getByLabelText("sight-glass tube, undecided"));
    expect(line.getByRole("img", { name: "undecided" })).toBeTruthy();
    expect(line.getByText(/1 value not drawn/)).toBeTruthy();
    expect(line.getByTitle(/occlusion of the original: not drawn.; measured at 40 samples a pixel/)).toBeTruthy();
    await userEvent.click(screen.getByTitle("undecided"));
    expect(screen.queryByLabelText("enamel, match")).toBeNull();
    expect(screen.getByText("1 of 2 materials")).toBeTruthy();
  });

  it("opens the bench by Enter, and not for what is not converted yet", async () => {
    show([fresh, enamel]);
    screen.getByLabelText("fresh paint, not checked yet").focus();
    await userEvent.keyboard("{Enter}");
    expect(screen.getByRole("status").textContent).toBe("/board");
    await userEvent.keyboard("{ArrowDown}{Enter}");
    expect(screen.getByRole("status").textContent).toMatch(/^\/bench\/11\?to=/);
  });

  it("acts on those selected by space, and says how many they are", async () => {
    show([enamel, tube]);
    screen.getByLabelText("enamel, match").focus();
    await userEvent.keyboard(" {ArrowDown} ");
    const bar = within(screen.getByRole("toolbar", { name: "Selection" }));
    expect(bar.getByText("2 selected")).toBeTruthy();
    await userEvent.click(bar.getByRole("button", { name: /Convert and check to/ }));
    expect(await sent[0]?.json()).toMatchObject({ material_ids: [1, 2] });
  });

  it("selects all shown at once, and clears", async () => {
    show([enamel, tube]);
    await userEvent.click(screen.getByLabelText("Select all shown"));
    expect(screen.getByText("2 selected")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Clear" }));
    expect(screen.queryByRole("toolbar")).toBeNull();
  });

  it("takes those selected to the delivery", async () => {
    show([enamel, tube]);
    await userEvent.click(screen.getByLabelText("Select sight-glass tube"));
    await userEvent.click(screen.getByRole("button", { name: "Deliver these" }));
    expect(screen.getByRole("status").textContent).toMatch(/^\/deliver\?.*materials=2$/);
  });

  it("offers to convert what is not converted", async () => {
    show([enamel, fresh]);
    expect(screen.getByText(/not converted to/)).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Convert and check them" }));
    expect(await sent[0]?.json()).toMatchObject({ material_ids: [3] });
  });

  it("does not offer again what is under way", () => {
    show([enamel, fresh], [{ ...STARTED, state: "running" }] as Job[]);
    expect(screen.queryByText(/not converted to/)).toBeNull();
  });

  it("says where to begin when it is empty", async () => {
    show([]);
    await userEvent.click(screen.getByRole("button", { name: "Take files in" }));
    expect(screen.getByRole("status").textContent).toBe("/take-in");
  });
});
