import { expect, test } from "vitest";
import { Watchdog } from "./watchdog";

const looks = (watchdog: Watchdog, most: number, activity: (look: number) => Parameters<Watchdog["look"]>[0]) => {
  for (let look = 1; look <= most; look++) {
    const why = watchdog.look(activity(look));
    if (why !== null) return { look, why };
  }
  return null;
};

test("a process that is stopped is ended after 20 looks, one that waits after 40, one that loops by its processor time", () => {
  expect(looks(new Watchdog(), 100, () => ({ state: "stopped", processorS: 3 }))?.look).toBe(20);
  expect(looks(new Watchdog(), 100, () => ({ state: "waits", processorS: 3 }))?.look).toBe(40);
  expect(looks(new Watchdog(), 100, (n) => ({ state: "runs", processorS: n }))?.look).toBe(20);
  // Half a processor is all that there is for it: a loop is found by what it used.
  expect(looks(new Watchdog(), 100, (n) => ({ state: "runs", processorS: n / 4 }))?.look).toBe(41);
});

test("one that gets next to nothing of the processor is left alone for five minutes, and is well when it is heard", () => {
  const starved = new Watchdog();
  expect(looks(starved, 290, (n) => ({ state: "runs", processorS: n / 100 }))).toBeNull();
  starved.heard();
  expect(looks(starved, 290, (n) => ({ state: "runs", processorS: 2.9 + n / 100 }))).toBeNull();
});

const WAITS = () => ({ state: "waits" as const, processorS: 1 });
const STOPPED = () => ({ state: "stopped" as const, processorS: 1 });

test("a process that hangs again and again is ended more seldom, until it has been well for a while", () => {
  const watchdog = new Watchdog();
  const foundAt = () => looks(watchdog, 1000, WAITS)?.look;
  expect([1, 2, 3, 4, 5].map(foundAt)).toEqual([40, 80, 160, 320, 320]);
  for (let beat = 0; beat < 59; beat++) watchdog.heard();
  expect(foundAt()).toBe(320);
  for (let beat = 0; beat < 60; beat++) watchdog.heard();
  expect(foundAt()).toBe(40);
});

test("a process that is stopped again and again is found as soon each time, also after it has hung", () => {
  const watchdog = new Watchdog();
  const foundAt = () => looks(watchdog, 1000, STOPPED)?.look;
  expect([1, 2, 3].map(foundAt)).toEqual([20, 20, 20]);
  looks(watchdog, 1000, WAITS);
  expect(foundAt()).toBe(20);
});
