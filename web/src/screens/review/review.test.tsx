import type { QueryKey } from "@tanstack/react-query";
import { render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import { WHOLE_BOARD } from "../../api/board";
import { keys } from "../../api/keys";
import type { BoardRow, Conversion } from "../../api/types";
import { InTestApp } from "../../InTestApp";
import { nextOf, queueOf, stageOf } from "./queue";
import { ReviewScreen } from "./ReviewScreen";

const verdict = (name: string) => ({ verdict: name, text: `${name}: colour 1, at most 1`, rig: "low_sun", unseen: [] });
const review = (state: string, changed: string[] = []) => ({
  state,
  changed,
  said: state === "open" ? "accepted" : state,
  by: "Mira",
  note: "rim",
  place: null,
  created: "2026-01-01T00:00:00",
});
let count = 0;
const row = (name: string, judged: string, said: object | null = null) => {
  count += 1;
  const plain = {
    checks: [],
    losses: [],
    findings: [],
    outside: null,
    approximated: 0,
    plainness: "plain",
    unusual: 0,
    overrides: 0,
  };
  return { ...plain, material_id: count, conversion_id: 10 * count, version: 3, name, verdict: verdict(judged), review: said } as unknown as BoardRow; // prettier-ignore
};
const rows = [
  row("enamel", "match"),
  row("glass", "off"),
  row("rail", "match", review("accepted")),
  row("brass", "match", review("open", ["the tolerances"])),
  row("rust", "near", review("sent back")),
];
const target = { key: "open_pbr", model: "open_pbr", profile: "extensions", title: "OpenPBR", narrows: null };
const conversionOf = (one: BoardRow) =>
  ({ id: one.conversion_id, version: one.version, material_id: one.material_id, name: one.name, checks: [], verdict: one.verdict, figures: {} }) as unknown as Conversion; // prettier-ignore

// As the server sorts them by urgency.
const URGENT = { ...WHOLE_BOARD, sort: "urgency" };
const page = {
  rows: [3, 1, 0, 4, 2].map((at) => rows[at]),
  total: 5,
  counts: {},
  reviews: { waiting: 2 },
  unsettled: 0,
};

const shown = (...more: [QueryKey, unknown][]) =>
  render(
    <InTestApp
      known={[
        [keys.projects, [{ id: 1, name: "p", rigs: ["low_sun"] }]],
        [keys.targets(1), [target]],
        [keys.boardPage(1, target, URGENT, 0, 100), page],
        [keys.rigs(1), [{ id: "low_sun", title: "Low sun", stands_by: false }]],
        [["engine"], { engine_runs: false }],
        ...more,
        ...rows.map((one): [readonly unknown[], unknown] => [
          keys.conversion(one.conversion_id ?? 0),
          conversionOf(one),
        ]),
      ]}
    >
      <ReviewScreen project={1} />
    </InTestApp>,
  );

describe("what waits for a review", () => {
  it("leads from one that waits to the next, and never to what is settled", () => {
    expect(stageOf(rows[3] as BoardRow)).toBe("open again");
    const queue = queueOf(page.rows as BoardRow[]);
    const [brass, glass, enamel] = queue;
    expect(nextOf(queue, brass?.conversion_id ?? 0)).toBe(glass?.conversion_id);
    // After the last of those that wait comes the first of them again.
    expect(nextOf(queue, enamel?.conversion_id ?? 0)).toBe(brass?.conversion_id);
  });
});

describe("the review screen", () => {
  afterEach(() => vi.unstubAllGlobals());

  it("says what was said and has changed, and sends back with a note by keyboard, on the version that is seen", async () => {
    const sent: { url: string; version: string | null; body: unknown }[] = [];
    vi.stubGlobal("fetch", async (request: Request) => {
      const { pathname } = new URL(request.url);
      if (request.method === "GET")
        return Response.json(pathname.endsWith("/board") ? page : conversionOf(rows[3] as BoardRow));
      sent.push({ url: pathname, version: request.headers.get("If-Match"), body: await request.json() });
      return Response.json(review("sent back"));
    });
    shown();
    expect(screen.getByText(/the tolerances changed since it was/)).toBeTruthy();
    // Without a note, the key leads to the field for one.
    await userEvent.keyboard("n");
    await userEvent.keyboard("rim too bright");
    await userEvent.click(screen.getByRole("button", { name: "Send back (n)" }));
    await vi.waitFor(() => expect(sent).toHaveLength(1));
    expect(sent[0]).toMatchObject({
      url: `/api/v1/conversions/${rows[3]?.conversion_id}/reviews`,
      version: '"3"',
      body: { state: "sent back", note: "rim too bright" },
    });
  });

  it("is accepted by supervisors only", () => {
    shown([keys.me, { name: "Ole", role: "td" }]);
    expect(screen.getByRole("button", { name: "Accept (a)" }).hasAttribute("disabled")).toBe(true);
    expect(screen.getByText(/Accepting takes a supervisor/)).toBeTruthy();
  });

  it("shows all as a sheet, from which one is opened", async () => {
    shown();
    await userEvent.click(screen.getByText("contact sheet"));
    await userEvent.click(screen.getByRole("button", { name: /^rust/ }));
    expect(within(screen.getByRole("region", { name: "rust" })).getByText(/sent back by Mira/)).toBeTruthy();
  });
});
