const LOCAL_ONLY = "MAP * ~NOTFOUND , EXCLUDE localhost, EXCLUDE 127.0.0.1";

/** How Debian's Chromium is started for tests and pictures: headless, and unable to reach anything but this machine. */
export const CHROMIUM = {
  executablePath: "/usr/bin/chromium",
  args: [
    "--headless=new",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--autoplay-policy=no-user-gesture-required",
    `--host-resolver-rules=${LOCAL_ONLY}`,
  ],
};
