import type { Page } from "@playwright/test";

/**
 * Lets so much time pass, in seconds, where time itself is what is tested: sound that plays, a hand that rides a fader.
 * Everything else waits for what it needs to see.
 */
// eslint-disable-next-line no-restricted-properties -- the one place where a test waits for nothing but time
export const pass = (page: Page, seconds: number): Promise<void> => page.waitForTimeout(1000 * seconds);
