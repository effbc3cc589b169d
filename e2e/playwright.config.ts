import { defineConfig } from "@playwright/test";
import chromium from "./chromium.json" with { type: "json" };

const workers = process.env.SCREENSHOTS ? 1 : Number(process.env.E2E_WORKERS ?? 2);
const portOf = (worker: number) => Number(process.env.E2E_PORT ?? 18080) + 100 * worker;
const dirOf = (worker: number) => `../.pelican/e2e-${worker}`;

// Each worker has a demo of its own: nobody's tests are in another's way.
const self = Number(process.env.TEST_PARALLEL_INDEX ?? 0);
export const port = portOf(self);
/** Where the data of this worker's demo are, seen from this folder. */
export const demoDir = dirOf(self);

export default defineConfig({
  testDir: ".",
  outputDir: "../.pelican/e2e-results",
  workers,
  timeout: 90_000,
  expect: { timeout: 15_000 },
  reporter: [["list"], ["json", { outputFile: "../.pelican/e2e-results.json" }]],
  use: {
    baseURL: `http://localhost:${port}`,
    viewport: { width: 1280, height: 800 },
    launchOptions: { executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium-headless-shell", args: chromium.args },
    // Recording takes a third of the time: only a second try is recorded.
    trace: "on-first-retry",
    reducedMotion: "reduce",
  },
  // The journey is a new user's: it comes first, in a fresh demo.
  projects: [
    { name: "journey", testMatch: /journey/ },
    // One that passes at the second try only is named by scripts/test. The journey's steps build on each other and
    // are not repeated.
    {
      name: "rest",
      retries: 1,
      fullyParallel: true,
      testIgnore: process.env.SCREENSHOTS ? /journey/ : /journey|screenshots/,
    },
  ],
  webServer: Array.from({ length: workers }, (_, worker) => ({
    command: `../bin/pelican demo --reset --second=false --orders=false --picture-size=${process.env.SCREENSHOTS ? 0 : 160} --dir ${dirOf(worker)}`,
    env: { ...process.env, PORT: String(portOf(worker)) } as Record<string, string>,
    url: `http://localhost:${portOf(worker)}/readyz`,
    timeout: 90_000,
    gracefulShutdown: { signal: "SIGINT", timeout: 20_000 },
  })),
});
