import { render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { Route, Routes } from "react-router";
import { describe, expect, it } from "vitest";
import { type TopicSection } from "../../api/reference";
import { InTestApp } from "../../InTestApp";
import { Explained } from "../../parts/Explained";
import { HelpScreen } from "./HelpScreen";
import { keys } from "../../api/keys";

const plain = { text: [], table: null, mark: "", place: "", command: "" };
const READINGS: TopicSection = {
  ...plain,
  id: "readings",
  title: "Readings",
  table: {
    columns: ["reading", "what it shows"],
    rows: [
      ["colour", "at display white"],
      ["openings", "what lies behind"],
    ],
  },
};
const KNOWN = [
  [
    keys.topics,
    [
      { id: "guide", title: "Guide", says: "One asset" },
      { id: "readings", title: "Readings", says: "What is measured" },
    ],
  ],
  [
    keys.topic("guide"),
    {
      id: "guide",
      title: "Guide",
      says: "One asset",
      sections: [
        {
          ...plain,
          id: "step-1",
          title: "1. Import",
          text: ["Drop it."],
          place: "/take-in",
          command: "fenrain convert",
        },
      ],
    },
  ],
  [keys.topic("readings"), { id: "readings", title: "Readings", says: "What is measured", sections: [READINGS] }],
  [
    keys.topic("words"),
    {
      id: "words",
      title: "Words",
      says: "",
      sections: [
        { ...plain, id: "fit", title: "Fit", text: ["The computer tunes."] },
        { ...plain, id: "exact", title: "exact", mark: "=", text: ["The same quantity."] },
      ],
    },
  ],
] as const;

function show(at: string) {
  render(
    <InTestApp known={KNOWN} at={at}>
      <Routes>
        <Route path="/projects/:project/help/:topic?" element={<HelpScreen project={1} />} />
      </Routes>
      <Explained label="What marks mean" words={["exact", "fit"]} />
    </InTestApp>,
  );
}

describe("the help", () => {
  it("opens with the guide, and leads to the screen of a step", () => {
    show("/projects/1/help");
    const step = within(screen.getByRole("region", { name: "1. Import" }));
    expect(step.getByText("Drop it.")).toBeTruthy();
    expect(step.getByRole("link", { name: "Go there" }).getAttribute("href")).toBe("/projects/1/take-in");
  });

  it("finds rows by what they say, and says where there are none", async () => {
    show("/projects/1/help/readings");
    expect(screen.getAllByRole("row")).toHaveLength(3);
    await userEvent.type(screen.getByRole("searchbox", { name: "Find in this topic" }), "behind");
    expect(screen.getAllByRole("row")).toHaveLength(2);
    await userEvent.type(screen.getByRole("searchbox", { name: "Find in this topic" }), " nowhere");
    expect(screen.getByText("Nothing here says “behind nowhere”.")).toBeTruthy();
  });

  it("says marks and words where they are used", async () => {
    show("/projects/1/help");
    await userEvent.click(screen.getByRole("button", { name: "What marks mean" }));
    expect(await screen.findByText("The same quantity.")).toBeTruthy();
    expect(screen.getByText("The computer tunes.")).toBeTruthy();
  });
});
