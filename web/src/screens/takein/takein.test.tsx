import { fireEvent, render, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { ReactNode } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Found, Intake, Preset } from "../../api/types";
import { InTestApp } from "../../InTestApp";
import { TARGETS } from "../../samplesInTests";
import { SheetDialects } from "./SheetDialects";
import { StartFromPreset } from "./StartFromPreset";
import { TakeInScreen } from "./TakeInScreen";

const sent: Request[] = [];
const presets: Preset[] = [
  {
    id: "enamel",
    name: "Gloss enamel",
    says: "paint with a clear gloss",
    color: "base_color",
    values: { base_color: [0.05, 0.2, 0.08] },
    own: false,
  },
  { id: "own-3", name: "Pump green", says: "", color: "", values: { specular_roughness: 0.4 }, own: true },
];
const finding = {
  code: "guessed-dialect",
  severity: "note" as const,
  message: "Read as Osier 2, 100 % sure.",
  parameter: "",
  evidence: "osier",
  remedy: "",
  usual: "",
  source: "",
  choices: [],
  unread: false,
  accepted: false,
  fix: null,
};
const fit = {
  fits: [
    {
      id: "osier",
      name: "Osier 2",
      recognised: 4,
      columns: 6,
      misspelt: { Pant: "Paint" },
      unknown: ["Wobble"],
      confidence: 0.7,
    },
    { id: "withy", name: "Withy", recognised: 1, columns: 6, misspelt: {}, unknown: [], confidence: 0.1 },
    { id: "sedge", name: "Sedge", recognised: 0, columns: 6, misspelt: {}, unknown: [], confidence: 0 },
  ],
  rows: "[]",
  draft: "dialect: 1",
};
const intake: Intake = {
  id: 5,
  project_id: 1,
  state: "found",
  files: 2,
  unused: [],
  unused_files: 0,
  missing: [],
  search_roots: [],
  missing_files: 0,
  errors: [],
  refused_files: 0,
  unit: 0,
  sheets: [{ file: "yard.json", dialect: "osier", says: "Read as Osier 2, 100 % sure.", refused: false }],
  found: { materials: 2, taken: 2, doubtful: 1, changed: 0, without_unit: 1 },
  found_in: ["wall.glb", "yard.json"],
  found_as: ["gloss_pair", "metal_rough"],
};
const gate: Found = {
  position: 0,
  file: "yard.json",
  name: "gate",
  model: "gloss_pair",
  place: "entry 1",
  meshes: [],
  maps: [],
  mapped: [],
  counted: [],
  picture: "",
  corrections: 0,
  projection: "",
  lacks_uvs: false,
  otherwise: "",
  unit: 0,
  digest: "",
  incomplete: false,
  values: {},
  findings: [finding],
  taken: true,
  changed: false,
};

function Around({ children }: { children: ReactNode }) {
  const known = [
    [["projects"], []],
    [["targets", 1], TARGETS],
    [["presets"], presets],
    [["sheet", 5, "yard.json"], fit],
    [["models"], [{ id: "gloss_pair" }, { id: "percent" }, { id: "mix" }]],
  ] as const;
  return <InTestApp known={known}>{children}</InTestApp>;
}

/** What a browser sends files with: it tells that all has arrived, and gets the answer of the server. */
class Sending {
  static urls: string[] = [];
  upload: { onprogress?: (told: object) => void; onload?: () => void } = {};
  status = 200;
  responseText = "";
  onload?: () => void;
  open(_: string, url: string) {
    Sending.urls.push(url);
  }
  setRequestHeader() {}
  getResponseHeader = () => "application/json";
  send() {
    this.upload.onprogress?.({ loaded: 1, total: 2 });
    this.upload.onload?.();
    this.responseText = JSON.stringify(answer);
    this.onload?.();
  }
}

let answer: Intake | null = intake;
let found: Found[] = [gate];

/** What the server would say to a request. */
function answerTo({ url }: Request): unknown {
  const { pathname } = new URL(url);
  if (pathname.endsWith("/presets")) return presets;
  if (pathname.endsWith("/projects")) return [];
  return pathname.endsWith("/found") ? { rows: found, total: found.length > 1 ? 120 : found.length } : answer;
}

beforeEach(() => {
  sent.length = 0;
  Sending.urls.length = 0;
  answer = intake;
  found = [gate];
  vi.stubGlobal("XMLHttpRequest", Sending);
  vi.stubGlobal(
    "fetch",
    vi.fn((request: Request) => {
      sent.push(request);
      return Promise.resolve(Response.json(answerTo(request)));
    }),
  );
});
afterEach(() => vi.unstubAllGlobals());

async function choose(label: string, title: string) {
  fireEvent.mouseDown(screen.getByRole("combobox", { name: label }));
  await userEvent.click(await screen.findByTitle(title));
}

describe("a named surface as a start", () => {
  it("goes with one colour of its own and a name", async () => {
    render(<StartFromPreset project={1} />, { wrapper: Around });
    await choose("Named surface", "Gloss enamel");
    expect(screen.getByText("paint with a clear gloss")).toBeTruthy();
    const colour = screen.getByLabelText("Colour to start with");
    fireEvent.change(colour, { target: { value: "0.4, 0.1, 0.1" } });
    fireEvent.blur(colour);
    await userEvent.type(screen.getByLabelText("Name of the material"), "red pipe");
    await userEvent.click(screen.getByRole("button", { name: "Start" }));
    await waitFor(() => expect(sent.find((request) => request.method === "POST")).toBeTruthy());
    expect(await sent.find((request) => request.method === "POST")?.json()).toMatchObject({
      preset: "enamel",
      name: "red pipe",
      color: [0.4, 0.1, 0.1],
    });
  });

  it("says which are our own, and needs no colour where none is asked", async () => {
    render(<StartFromPreset project={1} />, { wrapper: Around });
    await choose("Named surface", "Pump green (own)");
    expect(screen.queryByLabelText("Colour to start with")).toBeNull();
  });

  it("is renamed and deleted where it is our own, and only there", async () => {
    render(<StartFromPreset project={1} />, { wrapper: Around });
    await choose("Named surface", "Gloss enamel");
    expect(screen.queryByRole("button", { name: "Rename…" })).toBeNull();
    await choose("Named surface", "Pump green (own)");
    await userEvent.click(screen.getByRole("button", { name: "Rename…" }));
    const name = screen.getByLabelText("Its name");
    await userEvent.clear(name);
    await userEvent.type(name, "Pump green, worn{Enter}");
    await waitFor(() => expect(sent.find((request) => request.method === "PUT")).toBeTruthy());
    const renamed = sent.find((request) => request.method === "PUT");
    expect(new URL(renamed?.url ?? "").pathname).toMatch(/\/presets\/own-\d+\/name$/);
    expect(await renamed?.json()).toMatchObject({ name: "Pump green, worn" });
    await userEvent.click(screen.getByRole("button", { name: "Delete" }));
    await userEvent.click(await screen.findByRole("button", { name: "OK" }));
    await waitFor(() => expect(sent.some((request) => request.method === "DELETE")).toBe(true));
  });
});

describe("what was uploaded", () => {
  const rough = {
    ...finding,
    code: "name-says-otherwise",
    severity: "warning" as const,
    message: "It is called glossiness.",
    parameter: "roughness",
    fix: { invert: true },
  };
  const wall: Found = {
    ...gate,
    position: 1,
    file: "wall.glb",
    name: "wall",
    model: "metal_rough",
    place: "materials/0",
    mapped: ["roughness"],
    counted: ["metallic"],
    unit: 1,
    values: { metallic: "0", roughness: "map wall_gloss.png (G)", alpha: "1", ior: "1.5", base_color: "(1, 1, 1)" },
    findings: [rough],
  };

  function show(at: Intake | null = intake, rows: Found[] = [gate, wall]) {
    answer = at;
    found = rows;
    return render(<TakeInScreen project={1} />, { wrapper: Around });
  }

  const asked = () => sent.filter(({ url }) => url.includes("/found?")).map(({ url }) => new URL(url).searchParams);
  const body = async (method: string) => (await sent.find((request) => request.method === method)?.json()) as unknown;

  it("is accounted for: broken files in one list, and those that nothing uses", async () => {
    const broken = {
      file: "a.glb",
      code: "broken-file",
      message: "It ends too early.",
      place: "byte 4",
      remedy: "Export it again.",
    };
    show({
      ...intake,
      files: 5,
      unused: ["notes.txt"],
      unused_files: 71,
      errors: [broken, { ...broken, file: "b.glb" }],
      refused_files: 2,
    });
    expect(await screen.findByText("2 of 5 files could not be read")).toBeTruthy();
    expect(
      within(screen.getByRole("list", { name: "Files that could not be read" })).getAllByRole("listitem"),
    ).toHaveLength(2);
    expect(screen.getByText("Not used by any material: notes.txt and 70 more.")).toBeTruthy();
  });

  it("is asked for where there is nothing yet", async () => {
    show(null);
    expect(await screen.findByText("Drop material files here, with their maps")).toBeTruthy();
  });

  it("takes more files, which join the others", async () => {
    const { container } = show();
    await screen.findByText("Drop more files here");
    const input = container.querySelector("input[type=file]");
    if (input === null) throw new Error("no place for files");
    fireEvent.change(input, { target: { files: [new File(["png"], "rust.png")] } });
    await waitFor(() => expect(Sending.urls.some((url) => url.endsWith("/intakes/5/files"))).toBe(true));
  });

  it("is filtered and paged by the server, and ticked or unticked at once", async () => {
    show();
    await screen.findByLabelText("Import wall");
    await userEvent.click(screen.getByTitle("2"));
    await waitFor(() => expect(asked().at(-1)?.get("offset")).toBe("50"));
    await choose("Findings", "with findings");
    await waitFor(() =>
      expect(Object.fromEntries(asked().at(-1) ?? [])).toMatchObject({ doubts: "doubtful", offset: "0" }),
    );
    await choose("Model", "metal rough");
    const before = asked().length;
    await userEvent.type(screen.getByLabelText("Find by name"), "wa");
    await waitFor(() => expect(asked().at(-1)?.get("find")).toBe("wa"));
    expect(asked()).toHaveLength(before + 1); // none at each key stroke
    await userEvent.click(screen.getByRole("button", { name: "Untick them" }));
    expect(await body("PUT")).toEqual({ taken: false, find: "wa", file: "", model: "metal_rough", doubts: "doubtful" });
    sent.length = 0;
    await userEvent.click(screen.getByLabelText("Import gate"));
    expect(await body("PUT")).toMatchObject({ taken: false, find: "", doubts: "", positions: [0] });
  });

  it("keeps a tick while a page from before it is still on its way", async () => {
    show();
    await screen.findByLabelText("Import wall");
    const late: (() => void)[] = [];
    const held = (request: Request) =>
      new Promise((answered) => late.push(() => answered(Response.json(answerTo(request)))));
    vi.stubGlobal("fetch", (request: Request) =>
      request.url.includes("/found") ? held(request) : Promise.resolve(Response.json(answer)),
    );
    await userEvent.click(screen.getByLabelText("Import wall"));
    await waitFor(() => expect(late.length).toBeGreaterThan(0));
    vi.stubGlobal("fetch", held);
    await userEvent.click(screen.getByLabelText("Import gate"));
    late[0]?.();
    await new Promise((done) => setTimeout(done, 50));
    expect(screen.getByLabelText("Import gate")).toHaveProperty("checked", false);
  });

  it("enters as far as it was not left out", async () => {
    show({ ...intake, found: { ...intake.found, taken: 1 } });
    await userEvent.click(await screen.findByRole("button", { name: "Take 1 onto the board" }));
    expect(await body("POST")).toEqual({ target: TARGETS[0]?.model, profile: TARGETS[0]?.profile });
  });

  it("does not enter where all is left out", async () => {
    show({ ...intake, found: { ...intake.found, taken: 0 } });
    expect(await screen.findByRole("button", { name: "Take 0 onto the board" })).toHaveProperty("disabled", true);
  });

  it("is corrected by what a finding offers, and by hand", async () => {
    show();
    await userEvent.click(await screen.findByRole("button", { name: "Apply" }));
    expect(await body("POST")).toEqual({ parameter: "roughness", invert: true });
    sent.length = 0;
    await userEvent.click(screen.getByRole("button", { name: "Correct roughness" }));
    await userEvent.click(await screen.findByText("read its blue"));
    expect(await body("POST")).toEqual({ parameter: "roughness", invert: false, channel: "b" });
  });

  it("shows a doubtful reading beside the one of its remedy, and takes that in one action", async () => {
    const doubt = {
      ...gate.findings[0],
      code: "glass-as-mirror",
      severity: "warning",
      parameter: "specular",
      message: "mirrors all light",
      fix: { scale: 0.04 },
    } as (typeof gate.findings)[number];
    show(intake, [{ ...wall, picture: "a".repeat(64), otherwise: "b".repeat(64), findings: [doubt] }]);
    await screen.findByRole("img", { name: "wall as written" });
    screen.getByRole("img", { name: "wall with the remedy" });
    await userEvent.click(screen.getByRole("button", { name: "Apply" }));
    expect(await body("POST")).toEqual({ parameter: "specular", invert: false, scale: 0.04 });
  });

  it("gets the texture coordinates that its meshes lack", async () => {
    show(intake, [gate, { ...wall, meshes: ["wall"], lacks_uvs: true }]);
    await screen.findByText("gate");
    await choose("Texture coordinates of wall", "UVs projected by a cylinder");
    expect(await body("POST")).toEqual({ parameter: "", invert: false, projection: "cylinder" });
    expect(screen.queryByRole("combobox", { name: "Texture coordinates of gate" })).toBeNull();
  });

  it("is taken for another model, and all corrections are taken back", async () => {
    show(intake, [gate, { ...wall, corrections: 1 }]);
    await screen.findByText("wall");
    await choose("Model of wall", "percent");
    expect(await body("POST")).toEqual({ parameter: "", invert: false, model: "percent" });
    await userEvent.click(screen.getByRole("button", { name: "take the correction back" }));
    await waitFor(() => expect(sent.some(({ method }) => method === "DELETE")).toBe(true));
  });

  it("is corrected in its numbers too, and says what is understood otherwise", async () => {
    show();
    await screen.findByRole("button", { name: "Correct metallic" });
    expect(screen.queryByText("◦ changed")).toBeNull();
    answer = { ...intake, found: { ...intake.found, changed: 1 } };
    found = [gate, { ...wall, changed: true }];
    await userEvent.click(screen.getByRole("button", { name: "Correct metallic" }));
    await userEvent.click(await screen.findByText("it was counted to 100"));
    expect(await body("POST")).toEqual({ parameter: "metallic", invert: false, scale: 0.01 });
    expect(await screen.findByText("◦ changed")).toBeTruthy();
    expect(screen.getByText(/; 1 understood otherwise than before/)).toBeTruthy();
  });

  it("is looked for below a folder where it is missing, and chosen among namesakes", async () => {
    const missing = { ...rough, code: "missing-map", evidence: "rust.png" };
    const twice = {
      ...rough,
      code: "namesakes",
      evidence: "moss.png",
      choices: ["found/a/moss.png", "found/b/moss.png"],
    };
    show({ ...intake, missing: ["rust.png"], missing_files: 1, search_roots: ["/shows"] }, [
      gate,
      { ...wall, findings: [missing, twice] },
    ]);
    const folder = await screen.findByLabelText("Folder of the server that missing maps lie in");
    expect(screen.getByText(/map is missing/)).toBeTruthy();
    await userEvent.type(folder, "/maps{enter}");
    expect(await body("POST")).toEqual({ folder: "/maps" });
    await choose("File meant by moss.png", "found/b/moss.png");
    expect(await body("PUT")).toEqual({ name: "moss.png", path: "found/b/moss.png" });
  });

  it("counts in the unit that is said, where files state none", async () => {
    show();
    fireEvent.mouseDown(await screen.findByRole("combobox", { name: "Unit of length, where files state none" }));
    await userEvent.click(await screen.findByTitle("centimetres"));
    await waitFor(() => expect(sent.some(({ method }) => method === "PUT")).toBe(true));
    expect(await body("PUT")).toEqual({ metres: 0.01 });
  });
});

describe("the dialect of a sheet", () => {
  it("is said with how sure it is, and another one is one action", async () => {
    render(<SheetDialects intake={intake} />, { wrapper: Around });
    expect(screen.getByText(/70 % sure/)).toBeTruthy();
    expect(screen.getByText(/it does not know “Pant” \(is “Paint” meant\?\), “Wobble”/)).toBeTruthy();
    await choose("Dialect of yard.json", "Withy · 1 of 6 columns");
    await waitFor(() => expect(sent.some(({ method }) => method === "PUT")).toBe(true));
    const put = sent.find((request) => request.method === "PUT");
    expect(await put?.json()).toEqual({ file: "yard.json", dialect: "withy" });
  });

  it("is not taken without a warning where it knows no column", async () => {
    render(<SheetDialects intake={intake} />, { wrapper: Around });
    await choose("Dialect of yard.json", "Sedge · 0 of 6 columns");
    expect(await screen.findAllByText("Sedge knows none of the 6 columns")).not.toHaveLength(0);
    expect(sent.some(({ method }) => method === "PUT")).toBe(false);
    await userEvent.click(screen.getByRole("button", { name: "Read it so all the same" }));
    await waitFor(() => expect(sent.some(({ method }) => method === "PUT")).toBe(true));
  });

  it("is asked only of sheets", () => {
    render(<SheetDialects intake={{ ...intake, sheets: [] }} />, { wrapper: Around });
    expect(screen.queryByRole("combobox")).toBeNull();
  });
});
