import { expect, test } from "vitest";
import { FIRST_STEPS, nextStep, stepOfJob, useFirstSteps } from "./first-steps";

test("steps tick once, in any order, and the next one is the first that is left", () => {
  const { tick } = useFirstSteps.getState();
  tick("print");
  tick("print");
  expect(useFirstSteps.getState().done).toEqual(["print"]);
  expect(nextStep(["print"])).toBe("listen");
  expect(nextStep(["print", "listen"])).toBe("freeze");
  for (const { id } of FIRST_STEPS) tick(id);
  expect(nextStep(useFirstSteps.getState().done)).toBeNull();
});

test("a job ticks its step when it is done, and only then", () => {
  const prints = { kind: "freeze", prints: [] } as never;
  expect(stepOfJob({ status: "running", result: null })).toBeNull();
  expect(stepOfJob({ status: "done", result: prints })).toBe("freeze");
  expect(stepOfJob({ status: "failed", result: null })).toBeNull();
  expect(stepOfJob({ status: "done", result: { kind: "load" } as never })).toBeNull();
});
