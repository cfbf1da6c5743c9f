import { fireEvent, render, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Tried } from "../../api/types";
import { InTestApp } from "../../InTestApp";
import { DialectScreen } from "./DialectScreen";
import { LinedText } from "./LinedText";
import { SAMPLES } from "./samples";
import { TriedSheet } from "./TriedSheet";

const material: Tried["materials"][number] = {
  name: "oiled belt",
  model: "gloss_pair",
  values: { diffuse: "(0.02, 0.01, 0.01)" },
  converted: { base_color: "(0.03, 0.02, 0.01)" },
  colour: [0.03, 0.02, 0.01],
  findings: [
    {
      code: "unknown-column",
      severity: "warning",
      message: "It does not know “Novelty”.",
      parameter: "",
      evidence: "",
      remedy: "",
      usual: "",
      source: "",
      choices: [],
      unread: false,
      accepted: false,
      fix: null,
    },
  ],
};
const good: Tried = {
  problems: [],
  refused: "",
  guesses: [{ id: "osier", name: "Osier 2", confidence: 0.9, reasons: ["9 of 10 columns are its own"] }],
  materials: [material],
};

describe("what a sheet becomes", () => {
  it("is shown by the model's names and in OpenPBR, with what is odd", () => {
    render(<TriedSheet tried={good} />);
    for (const text of ["oiled belt", "gloss pair", "diffuse", "base_color", "90 %", "Osier 2"])
      expect(screen.getByText(text)).toBeTruthy();
    expect(screen.getByText(/does not know/)).toBeTruthy();
    expect(screen.getByText("9 of 10 columns are its own")).toBeTruthy();
  });

  it("is a reason where the sheet cannot be read", () => {
    render(<TriedSheet tried={{ ...good, materials: [], refused: "line 3: This is not JSON." }} />);
    expect(screen.getByText("The sheet cannot be read.")).toBeTruthy();
    expect(screen.getByText(/line 3/)).toBeTruthy();
  });

  it("is asked for where nothing is there, and waits where the dialect is wrong", () => {
    const { rerender } = render(<TriedSheet tried={undefined} />);
    expect(screen.getByText(/Paste a sheet/)).toBeTruthy();
    rerender(<TriedSheet tried={{ ...good, materials: [], guesses: [], problems: [{ line: 4, message: "no" }] }} />);
    expect(screen.getByText(/Correct the dialect/)).toBeTruthy();
  });
});

describe("numbered text", () => {
  it("marks the lines that are wrong by more than colour", () => {
    const { container } = render(<LinedText label="text" value={"a\nb\nc"} change={() => undefined} marked={[2]} />);
    const numbers = [...container.querySelectorAll("[aria-hidden] > div")].map((line) => line.textContent);
    expect(numbers).toEqual(["1", "▸2", "3"]);
  });
});

describe("the samples", () => {
  it("are sheets of their kind", () => {
    for (const [key, { kind, text }] of Object.entries(SAMPLES)) {
      if (kind === ".json") expect(Array.isArray(JSON.parse(text)), key).toBe(true);
      if (kind === ".csv")
        expect(
          new Set(
            text
              .trim()
              .split("\n")
              .map((line) => line.split(",").length),
          ).size,
          key,
        ).toBe(1);
    }
  });
});

describe("the page", () => {
  const sent: Request[] = [];
  const problem: Tried = {
    problems: [{ line: 6, message: "did you mean “diffuse”?" }],
    refused: "",
    guesses: [],
    materials: [],
  };
  let answer: Tried = good;

  beforeEach(() => {
    sent.length = 0;
    answer = good;
    vi.stubGlobal(
      "fetch",
      vi.fn((request: Request) => {
        sent.push(request);
        if (request.url.endsWith("/dialects/try")) return Promise.resolve(Response.json(answer));
        if (request.method === "DELETE") return Promise.resolve(new Response(null, { status: 204 }));
        if (request.method === "PUT")
          return Promise.resolve(Response.json({ id: "my-renderer", text: "", version: 1 }));
        if (request.url.endsWith("/dialects/osier"))
          return Promise.resolve(Response.json({ id: "osier", text: "id: osier\n", version: 0 }));
        return Promise.resolve(
          Response.json([{ id: "osier", name: "Osier 2", model: "gloss_pair", says: "", version: 0 }]),
        );
      }),
    );
  });
  afterEach(() => vi.unstubAllGlobals());

  it("tries what is typed and saves it as a new dialect", async () => {
    render(<DialectScreen project={1} />, { wrapper: InTestApp });
    fireEvent.change(await screen.findByLabelText("Sheet to test on"), { target: { value: "[{}]" } });
    expect(await within(screen.getByRole("region", { name: "Result" })).findByText("oiled belt")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(() => expect(sent.some((request) => request.method === "PUT")).toBe(true));
    const saved = sent.find((request) => request.method === "PUT");
    expect(saved?.url).toMatch(/dialects\/my-renderer$/);
    expect(saved?.headers.get("if-match")).toBe('"0"');
  });

  it("deletes what was saved and begins again", async () => {
    render(<DialectScreen project={1} />, { wrapper: InTestApp });
    await userEvent.click(await screen.findByRole("button", { name: "Save" }));
    await userEvent.click(await screen.findByRole("button", { name: "Delete" }));
    await userEvent.click(await screen.findByRole("button", { name: "OK" }));
    await waitFor(() => expect(screen.queryByRole("button", { name: "Delete" })).toBeNull());
    expect(sent.find((request) => request.method === "DELETE")?.url).toMatch(/dialects\/my-renderer$/);
  });

  it("begins from a sheet that was uploaded, with a draft", async () => {
    const fit = { fits: [], rows: '[{"Paint": 3}]', draft: "dialect: 1\nid: yard\n" };
    const known = [[["sheet", 5, "yard.csv"], fit]] as const;
    render(<DialectScreen project={1} />, {
      wrapper: ({ children }) => (
        <InTestApp at="/dialects?intake=5&file=yard.csv" known={known}>
          {children}
        </InTestApp>
      ),
    });
    expect(await screen.findByLabelText<HTMLTextAreaElement>("Sheet to test on")).toHaveProperty("value", fit.rows);
    expect(screen.getByLabelText<HTMLTextAreaElement>("Dialect, as YAML")).toHaveProperty("value", fit.draft);
  });

  it("names the line that is wrong and does not save", async () => {
    answer = problem;
    render(<DialectScreen project={1} />, { wrapper: InTestApp });
    expect(await screen.findByText("line 6")).toBeTruthy();
    expect(screen.getByText(/did you mean/)).toBeTruthy();
    expect(screen.getByRole<HTMLButtonElement>("button", { name: "Save" }).disabled).toBe(true);
  });
});
