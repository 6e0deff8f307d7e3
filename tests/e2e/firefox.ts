import type { ChildProcess } from "node:child_process";
import { spawn } from "node:child_process";
import { existsSync, mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { Browser } from "puppeteer-core";
import { launch } from "puppeteer-core";

const FIREFOX = "/usr/bin/firefox-esr";
const SOUND_SERVER = "/usr/bin/pulseaudio";

/** Debian's Firefox, through WebDriver BiDi, with a virtual sound card. */
export async function openFirefox(): Promise<{ readonly browser: Browser; stop(): Promise<void> }> {
  const home = mkdtempSync(join(tmpdir(), "stemzo-firefox-"));
  const socket = join(home, "sound");
  const sound = spawn(
    SOUND_SERVER,
    [
      ...["-n", "--daemonize=no", "--exit-idle-time=-1", "--use-pid-file=no", "--log-level=error"],
      ...["--load", "module-null-sink sink_name=unheard rate=48000 channels=2"],
      ...["--load", `module-native-protocol-unix auth-anonymous=1 socket=${socket}`],
    ],
    { stdio: "ignore", env: { ...process.env, HOME: home, XDG_RUNTIME_DIR: home } },
  );
  await there(socket, sound);
  const browser = await launch({
    browser: "firefox",
    executablePath: FIREFOX,
    headless: true,
    // It is read from the disk for the first time, which a busy machine takes long for.
    timeout: 120_000,
    userDataDir: join(home, "profile"),
    defaultViewport: { width: 1280, height: 800 },
    env: { ...process.env, HOME: home, PULSE_SERVER: `unix:${socket}` },
    extraPrefsFirefox: {
      // A press is a press to the browser, too; nothing of its own looks anything up.
      "media.autoplay.default": 0,
      "network.captive-portal-service.enabled": false,
      "network.connectivity-service.enabled": false,
      "app.update.enabled": false,
      "app.normandy.enabled": false,
      "browser.safebrowsing.update.enabled": false,
      "extensions.update.enabled": false,
      "datareporting.healthreport.uploadEnabled": false,
      "network.proxy.type": 1,
      "network.proxy.http": "127.0.0.1",
      "network.proxy.http_port": 9,
      "network.proxy.ssl": "127.0.0.1",
      "network.proxy.ssl_port": 9,
      "network.proxy.no_proxies_on": "127.0.0.1,localhost",
    },
  });
  return {
    browser,
    stop: async () => {
      await browser.close();
      sound.kill("SIGKILL");
      rmSync(home, { recursive: true, force: true });
    },
  };
}

async function there(socket: string, server: ChildProcess): Promise<void> {
  for (let tries = 0; !existsSync(socket); tries++) {
    if (tries > 100 || server.exitCode !== null) throw new Error("the sound server did not come up");
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
}
