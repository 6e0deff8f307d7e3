import type { Browser, CDPSession } from "@playwright/test";

/** Width and height of the page, in CSS pixels. */
const WIDTH = 1280;
const HEIGHT = 800;
/** An empty tab is there before anything is opened in it. */
const TAB_MS = 1500;

interface Answer {
  readonly id?: number;
  readonly result?: { readonly result?: { readonly value?: unknown } };
  readonly error?: { readonly message: string };
}

/**
 * Opens an address in a browser context of its own without anything that watches it, lets it be for `settleMs`, and
 * gives what `read` evaluates to in the page. Playwright listens to every request of its own pages: that costs a page
 * of many files a fifth of its time.
 * @param begin source of a script that runs before those of the page
 */
export async function openUnwatched<T>(
  browser: Browser,
  { address, begin, read, settleMs }: { address: string; begin: string; read: string; settleMs: number },
): Promise<T> {
  const root = await browser.newBrowserCDPSession();
  try {
    const { browserContextId } = await root.send("Target.createBrowserContext");
    try {
      const { targetId } = await root.send("Target.createTarget", { url: "about:blank", browserContextId });
      const send = await attach(root, targetId);
      // Playwright stops every new target until it has looked at it.
      await send("Runtime.runIfWaitingForDebugger");
      await setSize(root, targetId, send);
      await send("Page.enable");
      await send("Page.addScriptToEvaluateOnNewDocument", { source: begin });
      await pause(TAB_MS);
      await send("Page.navigate", { url: address });
      await pause(settleMs);
      return (await send("Runtime.evaluate", { expression: read, returnByValue: true })).result?.result?.value as T;
    } finally {
      await root.send("Target.disposeBrowserContext", { browserContextId });
    }
  } finally {
    await root.detach();
  }
}

type Send = Awaited<ReturnType<typeof attach>>;

/** Gives a tab's window the size that leaves `WIDTH` × `HEIGHT` to its page. */
async function setSize(root: CDPSession, targetId: string, send: Send): Promise<void> {
  const { windowId, bounds } = await root.send("Browser.getWindowForTarget", { targetId });
  const size = await send("Runtime.evaluate", { expression: "[innerWidth, innerHeight]", returnByValue: true });
  const [width, height] = size.result?.result?.value as [number, number];
  await root.send("Browser.setWindowBounds", {
    windowId,
    bounds: { width: (bounds.width ?? 0) + WIDTH - width, height: (bounds.height ?? 0) + HEIGHT - height },
  });
}

const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/** Sends commands of the browser's protocol to one target. */
async function attach(root: CDPSession, targetId: string) {
  const { sessionId } = await root.send("Target.attachToTarget", { targetId, flatten: false });
  const waiting = new Map<number, (answer: Answer) => void>();
  root.on("Target.receivedMessageFromTarget", (event) => {
    if (event.sessionId !== sessionId) return;
    const answer = JSON.parse(event.message) as Answer;
    if (answer.id !== undefined) waiting.get(answer.id)?.(answer);
  });
  let last = 0;
  return async (method: string, params: object = {}): Promise<Answer> => {
    const id = ++last;
    const answered = new Promise<Answer>((resolve) => waiting.set(id, resolve));
    await root.send("Target.sendMessageToTarget", { sessionId, message: JSON.stringify({ id, method, params }) });
    const answer = await answered;
    if (answer.error) throw new Error(`${method}: ${answer.error.message}`);
    return answer;
  };
}
