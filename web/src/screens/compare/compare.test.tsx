import { render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { Route, Routes, useLocation } from "react-router";
import { describe, expect, it } from "vitest";
import type { Comparison } from "../../api/types";
import { InTestApp } from "../../InTestApp";
import { PLAIN } from "../../samplesInTests";
import { CompareScreen } from "./CompareScreen";

const value = {
  name: "base_color",
  group: "body",
  shown: "(0.1, 0.2, 0.3)",
  constant: [0.1, 0.2, 0.3],
  fidelity: "approximated" as const,
};
const comparison: Comparison = {
  material_id: 7,
  name: "sight glass",
  model: "gloss_pair",
  source_values: [],
  targets: [
    {
      key: "open_pbr",
      target: "open_pbr",
      title: "OpenPBR",
      nearest: true,
      profile: "extensions",
      conversion_id: 3,
      predicted: 0.01,
      plainness: PLAIN,
      approximated: 1,
      values: [value],
      losses: [],
    },
    {
      key: "standard_surface",
      target: "standard_surface",
      title: "Standard Surface",
      nearest: false,
      profile: "extensions",
      conversion_id: null,
      predicted: 0.0099,
      plainness: PLAIN,
      approximated: 2,
      values: [value],
      losses: [],
    },
    {
      key: "metal_rough.core",
      target: "metal_rough",
      title: "glTF core",
      nearest: false,
      profile: "core",
      conversion_id: null,
      predicted: 0.52,
      plainness: PLAIN,
      approximated: 2,
      values: [{ ...value, name: "roughness", group: "reflection", constant: 0.3, shown: "0.3" }],
      losses: [{ sources: ["refraction"], text: "refraction: core glTF is opaque." }],
    },
  ],
};

function Place() {
  return <span data-testid="place">{useLocation().pathname}</span>;
}

function show() {
  render(
    <InTestApp known={[[["comparison", 7], comparison]]} at="/compare/7">
      <Routes>
        <Route path="/compare/:material" element={<CompareScreen project={1} />} />
        <Route path="*" element={<Place />} />
      </Routes>
    </InTestApp>,
  );
}

describe("one material in every target", () => {
  it("says the error to expect, what is lost, and every value with its fidelity", () => {
    show();
    for (const text of ["sight glass", "OpenPBR", "Standard Surface", "glTF core", "52.0 %"])
      expect(screen.getByText(text)).toBeTruthy();
    expect(within(screen.getByRole("row", { name: /^lost/ })).getByText("refraction").title).toContain(
      "core glTF is opaque",
    );
    expect(
      within(screen.getByRole("row", { name: /^body/ })).getAllByRole("img", { name: "approximated" }),
    ).toHaveLength(2);
  });

  it("says which target comes nearest", () => {
    show();
    expect(within(screen.getByRole("columnheader", { name: /OpenPBR/ })).getByText("nearest")).toBeTruthy();
    expect(screen.getAllByText("nearest")).toHaveLength(1);
  });

  it("opens what is converted on the bench and offers to convert the rest", async () => {
    show();
    expect(screen.getAllByRole("button", { name: "Convert and check" })).toHaveLength(2);
    await userEvent.click(screen.getByRole("button", { name: "To the bench" }));
    expect(screen.getByTestId("place").textContent).toBe("/bench/3");
  });
});
