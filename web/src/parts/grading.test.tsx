import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import { Grading } from "./Grading";
import { stepsOf, takenFrom, type Step } from "./grading";

function show(kind: string, steps: object[]) {
  const onTry = vi.fn<(steps: Step[] | undefined) => void>();
  const onCommit = vi.fn<(steps: Step[]) => void>();
  render(<Grading label="base_color" kind={kind} steps={steps} onTry={onTry} onCommit={onCommit} />);
  return { onTry, onCommit };
}

async function type(label: string, text: string) {
  const field = screen.getByLabelText(label);
  await userEvent.clear(field);
  await userEvent.type(field, `${text}{Enter}`);
}

describe("a grade", () => {
  it("comes back from its steps as it was, but for what only keeps the value in range", () => {
    const steps = [{ hue: 20 }, { gain: [1, 2, 3] }, { invert: true }, { remap: [0, 1, 0.2, 0.8] }];
    expect(stepsOf(takenFrom([...steps, { clamp: [0, 1] }], "colour"))).toEqual(steps);
  });

  it("of a number offers no steps of colours", () => {
    expect(takenFrom([{ hue: 20 }, { scale: 2 }], "number").map(({ kind }) => kind.name)).toEqual(["scale"]);
  });

  it("shows a number while it is typed, and keeps it with Enter", async () => {
    const { onTry, onCommit } = show("colour", [{ hue: 10 }, { saturation: 0.5 }]);
    await type("base_color, hue", "35");
    expect(onTry).toHaveBeenCalledWith([{ hue: 3 }, { saturation: 0.5 }]);
    expect(onCommit).toHaveBeenLastCalledWith([{ hue: 35 }, { saturation: 0.5 }]);
  });

  it("is given another step, which is kept when it says something", async () => {
    const { onCommit } = show("number", []);
    await userEvent.click(screen.getByRole("combobox", { name: "Another step on base_color" }));
    await userEvent.click(await screen.findByTitle("Remap"));
    expect(onCommit).not.toHaveBeenCalled();
    await type("base_color, remap, to, high", "0.5");
    expect(onCommit).toHaveBeenLastCalledWith([{ remap: [0, 1, 0, 0.5] }]);
  });

  it("swaps white for black in one action", async () => {
    const { onCommit } = show("number", [{ scale: 0.5 }]);
    await userEvent.click(screen.getByRole("combobox", { name: "Another step on base_color" }));
    await userEvent.click(await screen.findByTitle("Invert: white for black"));
    expect(onCommit).toHaveBeenLastCalledWith([{ scale: 0.5 }, { invert: true }]);
  });

  it("has each of its steps taken out again", async () => {
    const { onCommit } = show("colour", [{ hue: 10 }, { saturation: 0.5 }]);
    await userEvent.click(screen.getByRole("button", { name: "Take Hue out" }));
    expect(onCommit).toHaveBeenLastCalledWith([{ saturation: 0.5 }]);
  });
});
