import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useLocation } from "react-router";
import { describe, expect, it } from "vitest";
import { keys } from "../api/keys";
import { InTestApp } from "../InTestApp";
import { TARGETS } from "../samplesInTests";
import { targetOptions, useTarget } from "./useTarget";

function Shown() {
  const [target, choose, targets] = useTarget(1);
  return (
    <>
      <output>{target?.title ?? "none"}</output>
      <span data-testid="address">{useLocation().search}</span>
      {targets.map(({ key, title }) => (
        <button key={key} onClick={() => choose(key)}>
          {title}
        </button>
      ))}
    </>
  );
}

function show(address: string) {
  render(
    <InTestApp known={[[keys.targets(1), TARGETS]]} at={address}>
      <Shown />
    </InTestApp>,
  );
}

describe("the target", () => {
  it("is the one in the address, so that a link shows the same board", () => {
    show("/board?to=metal_rough.core");
    expect(screen.getByRole("status").textContent).toBe("glTF core");
  });

  it("is the first that is served where the address names none, or one that is gone", () => {
    show("/board?to=gone");
    expect(screen.getByRole("status").textContent).toBe("OpenPBR");
  });

  it("goes into the address when it is chosen, beside what else stands there", async () => {
    show("/deliver?materials=1,2");
    await userEvent.click(screen.getByRole("button", { name: "Studio model" }));
    expect(screen.getByRole("status").textContent).toBe("Studio model");
    expect(screen.getByTestId("address").textContent).toContain("to=own");
    expect(screen.getByTestId("address").textContent).toContain("materials=");
  });

  it("is offered by its title", () => {
    expect(targetOptions(TARGETS).map(({ label }) => label)).toEqual(["to OpenPBR", "to glTF core", "to Studio model"]);
  });
});
