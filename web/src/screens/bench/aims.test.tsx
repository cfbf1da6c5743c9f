import { render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, expect, it, vi } from "vitest";
import { keys } from "../../api/keys";
import type { ComparedAim, Conversion } from "../../api/types";
import { InTestApp } from "../../InTestApp";
import { decision, PLAIN } from "../../samplesInTests";
import { Aims } from "./Aims";

const ODD = {
  ...PLAIN,
  text: "1 unusual value",
  unusual: [{ parameter: "specular_ior", text: "specular_ior 4.78: opaque bodies have 1.3 to 2" }],
};
const shown = (name: string, words: string) => [
  { name, group: "reflection", shown: words, constant: 1, fidelity: "approximated" as const },
];
const BY_AIM: ComparedAim[] = [
  {
    aim: "plain",
    title: "the plainest values that look the same",
    expected: decision("near"),
    error: 0.19,
    plainness: PLAIN,
    values: shown("specular_ior", "1.47"),
  },
  {
    aim: "nearest",
    title: "the nearest values",
    expected: decision("match"),
    error: 0.09,
    plainness: ODD,
    values: shown("specular_color", "0.13"),
  },
];
const conversion = {
  id: 4,
  version: 7,
  name: "sluice lever",
  aim: "plain",
  plainness: PLAIN,
  choice: {
    title: "as a dielectric",
    verdict: "near",
    nearest: "match",
    costs: true,
    text: "near: colour 2 ΔE2000, at most 1",
  },
} as unknown as Conversion;

afterEach(() => vi.unstubAllGlobals());

it("says what plain values cost, shows the other aims beside them, and takes one over", async () => {
  const sent: Request[] = [];
  vi.stubGlobal("fetch", (request: Request) => {
    sent.push(request);
    return Promise.resolve(Response.json({ ...conversion, aim: "nearest" }));
  });
  render(
    <InTestApp known={[[keys.aims(4, 7), BY_AIM]]}>
      <Aims conversion={conversion} project={1} />
    </InTestApp>,
  );
  expect(screen.getByText(/where the nearest values would be match/)).toBeTruthy();
  await userEvent.click(screen.getByRole("button", { name: "Compare aims" }));
  const table = within(await screen.findByRole("table"));
  expect(table.getByTitle(/specular_ior 4.78: opaque bodies/).textContent).toBe("1 unusual value");
  expect(table.getByRole("row", { name: "specular_ior 1.47 –" })).toBeTruthy();
  await userEvent.click(table.getByRole("button", { name: "Take these values" }));
  expect(sent[0]?.method).toBe("PUT");
  expect(new URL(sent[0]?.url ?? "").pathname).toBe("/api/v1/conversions/4/aim");
  expect(sent[0]?.headers.get("if-match")).toBe('"7"');
  expect(await sent[0]?.json()).toEqual({ aim: "nearest" });
});
