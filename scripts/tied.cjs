"use strict";

/**
 * Loaded into a process before anything else: sends its starter a heartbeat, and ends with it. The channel
 * is closed by the kernel, however they end.
 */
if (process.send) {
  const tell = setInterval(() => process.send("alive", () => undefined), 2000);
  tell.unref();
  process.send("alive", () => undefined);
  process.once("disconnect", () => {
    setTimeout(() => process.exit(1), 8000).unref();
    process.kill(process.pid, "SIGTERM");
  });
  process.channel?.unref();
}
