import { expect, test, vi } from "vitest";
import type { Job } from "../../contract/job";
import { JobFollower } from "./job-follower";

const job = (status: Job["status"], done = 0): Job => ({
  ...{ id: "j", session: "", request: { kind: "look", files: [] }, status, result: null, fault: null, attempts: 1 },
  progress: { stage: "looking", done, remainingS: null, timesRealTime: null } as unknown as Job["progress"],
});
/** A server whose job goes through some states, one each time it is asked. */
const server = (states: readonly Job[]) => {
  const left = [...states];
  return { job: vi.fn(() => Promise.resolve(left.shift() ?? job("done", 1))), cancel: vi.fn(() => Promise.resolve()) };
};

test("a job is followed until it is over, with its progress", async () => {
  const follower = new JobFollower(server([job("running", 0.5), job("failed", 0.7)]), 1);
  const seen: number[] = [];
  const ended = await follower.follow(job("waiting"), follower.begin(), (p) => seen.push(p.done));
  expect([ended?.status, seen]).toEqual(["failed", [0, 0.5, 0.7]]);
});

test("a turn that is over hears nothing more; what it ran is cancelled where that is asked for, and only then", async () => {
  const at = server(Array.from({ length: 50 }, () => job("running")));
  const follower = new JobFollower(at, 1);
  const first = follower.follow(job("waiting"), follower.begin(), () => undefined);
  const second = follower.begin();
  expect(await first).toBeNull();
  expect(at.cancel).not.toHaveBeenCalled();
  const running = follower.follow(job("running"), second, () => undefined);
  follower.cancel();
  expect(await running).toBeNull();
  expect(at.cancel).toHaveBeenCalledExactlyOnceWith("j");
  follower.cancel();
  expect(at.cancel).toHaveBeenCalledOnce();
});
