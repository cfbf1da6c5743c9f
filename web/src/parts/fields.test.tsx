import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import { ProblemError } from "../api/client";
import { ColourField } from "./ColourField";
import { explain } from "./Failure";
import { FindingList } from "./FindingList";
import { NumberField } from "./NumberField";
import { VERDICTS, VerdictMark } from "./VerdictMark";

describe("a number field", () => {
  const field = (commit: (value: number) => void) => (
    <NumberField label="roughness" value={0.25} low={0} high={1} unit="" onCommit={commit} />
  );

  it("sets what is typed when Enter is pressed", async () => {
    const commit = vi.fn();
    render(field(commit));
    const input = screen.getByLabelText("roughness");
    await userEvent.clear(input);
    await userEvent.type(input, "0.75{Enter}");
    expect(commit).toHaveBeenCalledExactlyOnceWith(0.75);
  });

  it("steps by the arrow keys and sets when left", async () => {
    const commit = vi.fn();
    render(field(commit));
    await userEvent.click(screen.getByLabelText("roughness"));
    await userEvent.keyboard("{ArrowUp}{Tab}");
    expect(commit).toHaveBeenCalledExactlyOnceWith(0.26);
  });

  it("keeps what it cannot take, marked, and says why in what was typed", async () => {
    const commit = vi.fn();
    render(field(commit));
    const input = screen.getByLabelText<HTMLInputElement>("roughness");
    await userEvent.clear(input);
    await userEvent.type(input, "120%{Enter}");
    expect(input.value).toBe("120%");
    expect(screen.getByRole("alert").textContent).toBe("at most 100%");
    expect(commit).not.toHaveBeenCalled();
    await userEvent.clear(input);
    await userEvent.type(input, "10%{Enter}");
    expect(commit).toHaveBeenCalledExactlyOnceWith(0.1);
  });

  it("shows no digits that single precision left behind", () => {
    render(<NumberField label="roughness" value={0.799999} low={0} high={1} unit="" onCommit={vi.fn()} />);
    expect(screen.getByLabelText<HTMLInputElement>("roughness").value).toBe("0.8");
  });

  it("sets nothing where nothing changed", async () => {
    const commit = vi.fn();
    render(field(commit));
    await userEvent.click(screen.getByLabelText("roughness"));
    await userEvent.tab();
    expect(commit).not.toHaveBeenCalled();
  });
});

describe("a colour field", () => {
  it("sets linear numbers, and refuses what is no colour", async () => {
    const commit = vi.fn();
    render(<ColourField label="base" value={[0.1, 0.2, 0.3]} onCommit={commit} />);
    const input = screen.getByLabelText("base");
    await userEvent.clear(input);
    await userEvent.type(input, "nonsense{Enter}");
    expect(commit).not.toHaveBeenCalled();
    expect((input as HTMLInputElement).value).toBe("nonsense");
    expect(screen.getByRole("alert").textContent).toMatch(/no number/);
    await userEvent.clear(input);
    await userEvent.type(input, "#ffffff{Enter}");
    expect(commit).toHaveBeenCalledExactlyOnceWith([1, 1, 1]);
  });
});

describe("the notation", () => {
  it("is one for all fields, and the same the next time", async () => {
    const { unmount } = render(
      <>
        <ColourField label="base" value={[1, 0, 0]} onCommit={vi.fn()} />
        <ColourField label="tint" value={[0, 1, 0]} onCommit={vi.fn()} />
      </>,
    );
    await userEvent.click(screen.getByRole("combobox", { name: "base, notation" }));
    await userEvent.click(screen.getByTitle("hex"));
    expect(screen.getByLabelText<HTMLInputElement>("tint").value).toBe("#00ff00");
    unmount();
    render(<ColourField label="again" value={[0, 0, 1]} onCommit={vi.fn()} />);
    expect(screen.getByLabelText<HTMLInputElement>("again").value).toBe("#0000ff");
    localStorage.clear();
  });
});

describe("a verdict", () => {
  it("is a shape and a word, not colour alone", () => {
    const shapes = VERDICTS.map((verdict) => {
      const { container, unmount } = render(<VerdictMark verdict={verdict} />);
      expect(screen.getByText(verdict)).toBeTruthy();
      const drawn = container.querySelector("path")?.outerHTML;
      unmount();
      return drawn;
    });
    expect(new Set(shapes).size).toBe(4);
  });

  it("keeps its name for a screen reader without the word", () => {
    render(<VerdictMark verdict="near" label={false} />);
    expect(screen.getByRole("img", { name: "near" })).toBeTruthy();
  });
});

describe("errors and findings", () => {
  it("say what happened and what to do next", () => {
    expect(explain(new ProblemError({ detail: "The map is missing.", remedy: "Hand it in." }))).toBe(
      "The map is missing. Hand it in.",
    );
    expect(explain(new ProblemError({}))).toBe("The server did not answer.");
    expect(explain("odd")).toBe("Something went wrong.");
  });

  it("tell problems, doubts and notes apart in words", () => {
    const finding = {
      code: "c",
      message: "m",
      parameter: "",
      evidence: "",
      remedy: "Do this.",
      usual: "",
      source: "",
      choices: [],
      unread: false,
      accepted: false,
      fix: null,
    };
    render(
      <FindingList
        findings={[
          { ...finding, severity: "problem" },
          { ...finding, severity: "warning" },
          { ...finding, severity: "note" },
        ]}
      />,
    );
    for (const word of ["Problem:", "Doubt:", "Note:"]) expect(screen.getByText(word)).toBeTruthy();
    expect(screen.getAllByText("Do this.")).toHaveLength(3);
  });
});
