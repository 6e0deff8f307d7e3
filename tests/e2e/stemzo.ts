import type { APIRequestContext, Page, FileChooser } from "@playwright/test";
import { test as base, expect } from "@playwright/test";
import { randomUUID } from "node:crypto";
import type { Job } from "../../contract/job";
import { isOver } from "../../contract/job-progress";
import type { SessionState } from "../../contract/session";
import type { Session, Track } from "../../core/session/document";
import { few } from "../setup/few";

/** What a test does with Stemzo beside the page: its own sessions, and a look at what is stored. */
export class Stemzo {
  constructor(
    readonly address: string,
    private readonly request: APIRequestContext,
  ) {}

  state = async (id: string): Promise<SessionState> =>
    (await (await this.request.get(`${this.address}/api/sessions/${id}`)).json()) as SessionState;
  track = async (id: string, track: string): Promise<Track> => {
    const found = (await this.state(id)).document.tracks.find((t) => t.id === track);
    if (!found) throw new Error(`no track ${track}`);
    return found;
  };

  async create(document: Session): Promise<string> {
    const id = `t-${randomUUID()}`;
    const response = await this.request.post(`${this.address}/api/sessions`, { data: { id, document } });
    expect(response.status(), await response.text()).toBe(201);
    return id;
  }

  /** A copy of the demo, changed as wanted. */
  async demo(change: (document: Session) => Session = (d) => d): Promise<string> {
    return this.create(change((await this.state("harbour-lamps")).document));
  }

  post = async <T>(path: string, data?: unknown): Promise<T> =>
    (await (
      await this.request.post(`${this.address}${path}`, { ...(data === undefined ? {} : { data }) })
    ).json()) as T;
  get = async <T>(path: string): Promise<T> => (await (await this.request.get(`${this.address}${path}`)).json()) as T;

  async finished(job: string): Promise<Job> {
    let seen: Job | undefined;
    await expect
      .poll(
        async () => {
          seen = await this.get<Job>(`/api/jobs/${job}`);
          return isOver(seen.status);
        },
        { timeout: 170_000 },
      )
      .toBe(true);
    if (!seen) throw new Error("the job was never seen");
    return seen;
  }

  /** Opens a screen and waits until it is drawn and connected. */
  async open(
    page: Page,
    id: string,
    screen: "" | "/instruments" | "/stems" | "/proof" | "/handoff" | "/shelf" = "",
  ): Promise<void> {
    await page.goto(`${this.address}/s/${id}${screen}`);
    await expect(page.locator("[data-awake]")).toBeVisible();
  }
}

export const test = base.extend<{ stemzo: Stemzo }>({
  page: async ({ page }, give) => {
    // From the first listener on the browser hands its dialogs over: told when a test presses, it may hear too late.
    page.on("filechooser", () => undefined);
    await give(page);
  },
  stemzo: async ({ request }, give) => {
    const address = process.env["STEMZO_ADDRESS"];
    if (!address) throw new Error("the servers were not started");
    await give(new Stemzo(address, request));
  },
});

export { expect, few };

/** A row's head in the list of tracks. */
export const head = (page: Page, name: string) =>
  page.getByRole("list", { name: "Tracks" }).getByRole("listitem").filter({ hasText: name }).first();

/** Where a clip is on the page, from the lanes' canvas and the clip's span in the session. */
export async function clipBox(
  page: Page,
  state: SessionState,
  row: number,
  from: number,
  to: number,
): Promise<{ x: number; y: number; right: number }> {
  const lanes = await page.getByRole("img", { name: /^Lanes/ }).boundingBox();
  const rowBox = await page.getByRole("list", { name: "Tracks" }).getByRole("listitem").nth(row).boundingBox();
  if (!lanes || !rowBox) throw new Error("the Bench is not drawn");
  const end = Math.max(
    ...state.document.tracks.flatMap((t) => t.clips.map((c) => (c.kind === "notes" ? 0 : c.start + c.frames))),
  );
  const perPixel = (end * 1.04) / lanes.width;
  return { x: lanes.x + from / perPixel, right: lanes.x + to / perPixel, y: rowBox.y + rowBox.height / 2 };
}

export const slip = (page: Page) => page.getByRole("region", { name: "Print slip" });

/** Chooses a part of the slip's sentence. */
export async function choose(page: Page, what: string, option: string | RegExp): Promise<void> {
  await slip(page).getByRole("combobox", { name: what, exact: true }).click();
  await page.getByRole("option", { name: option }).click();
}

/** What a press asks for files with. */
export async function chooserOf(page: Page, press: () => Promise<unknown>): Promise<FileChooser> {
  const [chooser] = await Promise.all([page.waitForEvent("filechooser"), press()]);
  return chooser;
}
