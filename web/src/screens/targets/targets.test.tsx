import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { keys } from "../../api/keys";
import type { Target, TargetProfile } from "../../api/types";
import { InTestApp } from "../../InTestApp";
import type { Rehearsal } from "../../api/acts";
import { decision, GLTF_CORE, ROUGHNESS, TARGETS } from "../../samplesInTests";
import { TargetsScreen } from "./TargetsScreen";

const KIOSK: Target = { ...GLTF_CORE, key: "kiosk", profile: "kiosk", title: "Kiosk", narrows: "metal_rough.core" };
const STATED: TargetProfile = {
  id: "kiosk",
  title: "Kiosk",
  says: "for the hall",
  target: "metal_rough.core",
  maps: { largest: 512, square: false, power_of_two: true, bits: 8, lossy: false, atlas: false, total_megabytes: 0 },
  alpha_modes: ["opaque", "cut-out"],
  culling: "back",
  white_luminance: 0,
  emission_response: 1,
  metal_response: 1,
  exposed: [],
  viewer: "",
  viewer_notes: [],
};

const REHEARSED: Rehearsal = {
  words: "save the target profile “Kiosk” and convert again by it",
  changed: 1,
  worse: 1,
  before: { match: 1 },
  after: { off: 1 },
  rows: [
    {
      conversion_id: 4,
      name: "peat water",
      changes: "material converted again by the profile: alpha",
      before: decision("match"),
      after: decision("off"),
      pictures: {},
    },
  ],
};
const JOB = { id: 9, kind: "rehearse", state: "done", total: 1, done: 1, failed: 0, errors: [], by: "Mira" };

interface RehearsalBody {
  act: { kind: string; text: string; version: number };
  target: string;
  profile: string;
}

let asked: { pathname: string; body: RehearsalBody | null }[] = [];
let sent: { address: string; version: string | null; body: TargetProfile }[] = [];

function show(version: number) {
  const known = [
    [keys.targets(1), [...TARGETS, KIOSK]],
    [keys.profile(1, "kiosk"), { stated: STATED, version }],
    [keys.models, [{ id: "metal_rough", title: "", source: "", parameters: [{ ...ROUGHNESS, name: "roughness" }] }]],
  ] as const;
  render(
    <InTestApp known={known}>
      <TargetsScreen project={1} />
    </InTestApp>,
  );
}

describe("target profiles", () => {
  beforeEach(() => {
    sent = [];
    asked = [];
    vi.stubGlobal(
      "fetch",
      vi.fn(async (request: Request) => {
        const { pathname } = new URL(request.url);
        if (pathname.endsWith("/rehearsal")) return Response.json(REHEARSED);
        if (pathname.endsWith("/jobs")) return Response.json([JOB]);
        if (request.method === "POST") {
          asked.push({ pathname, body: JSON.parse((await request.text()) || "null") as RehearsalBody | null });
          return Response.json(JOB);
        }
        if (request.method !== "PUT") return Response.json([...TARGETS, KIOSK]);
        const body = (await request.json()) as TargetProfile;
        sent.push({ address: request.url, version: request.headers.get("if-match"), body });
        return Response.json({ stated: body, version: 2 });
      }),
    );
  });

  it("that come with Fenrain are saved under a name of one's own", async () => {
    show(0);
    expect(screen.queryByRole("button", { name: "Save" })).toBeNull();
    await userEvent.click(screen.getByRole("checkbox", { name: "square" }));
    await userEvent.click(screen.getByRole("button", { name: "Save as…" }));
    const name = screen.getByLabelText("Name of the profile");
    await userEvent.clear(name);
    await userEvent.type(name, "Halle Süd 2{Enter}");
    expect(sent[0]?.address).toContain("/profiles/halle_su_d_2");
    expect(sent[0]?.version).toBe('"0"');
    expect(sent[0]?.body).toMatchObject({ title: "Halle Süd 2", maps: { square: true, largest: 512 } });
  });

  it("of the project are saved in place, from the version that was read", async () => {
    show(3);
    const field = screen.getByLabelText("Emission shown too strong");
    await userEvent.clear(field);
    await userEvent.type(field, "2.5{Enter}");
    await userEvent.click(screen.getByRole("button", { name: "Save" }));
    expect(sent[0]).toMatchObject({ version: '"3"', body: { emission_response: 2.5 } });
  });

  it("leave values adjustable within a range that is typed", async () => {
    show(3);
    await userEvent.click(screen.getByRole("combobox", { name: "Leave another value adjustable" }));
    await userEvent.click(await screen.findByTitle("roughness"));
    const least = screen.getByLabelText("roughness, minimum");
    await userEvent.clear(least);
    await userEvent.type(least, "0.2{Enter}");
    await userEvent.click(screen.getByRole("button", { name: "Save" }));
    expect(sent[0]?.body.exposed).toEqual([{ parameter: "roughness", low: 0.2, high: 1, title: "" }]);
  });

  it("say what saving them would change, and are saved by doing it", async () => {
    show(3);
    expect(screen.getByRole("button", { name: "What would it change?" }).hasAttribute("disabled")).toBe(true);
    await userEvent.click(screen.getByRole("checkbox", { name: "blended" }));
    await userEvent.click(screen.getByRole("button", { name: "What would it change?" }));
    const rehearsal = asked[0]?.body;
    expect(rehearsal).toMatchObject({
      target: GLTF_CORE.model,
      profile: "kiosk",
      act: { kind: "profile", version: 3 },
    });
    expect((JSON.parse(rehearsal?.act.text ?? "") as TargetProfile).alpha_modes).toContain("blended");
    expect(await screen.findByText(/^1 would change: save the target profile/)).toBeTruthy();
    expect(screen.getByRole("cell", { name: "peat water" })).toBeTruthy();
    expect(sent).toEqual([]);
    await userEvent.click(screen.getByRole("button", { name: "Apply" }));
    expect(asked[1]?.pathname).toBe("/api/v1/jobs/9/rehearsal/act");
  });

  it("are taken back as they were", async () => {
    show(3);
    await userEvent.click(screen.getByRole("checkbox", { name: "blended" }));
    await userEvent.click(screen.getByRole("button", { name: "Revert changes" }));
    expect(screen.getByRole<HTMLInputElement>("checkbox", { name: "blended" }).checked).toBe(false);
  });
});
