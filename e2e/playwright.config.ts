import { defineConfig } from "@playwright/test";
import chromium from "./chromium.json" with { type: "json" };

export const port = Number(process.env.E2E_PORT ?? 18080);

export default defineConfig({
  testDir: ".",
  outputDir: "../.pelican/e2e-results",
  workers: 1,
  timeout: 90_000,
  expect: { timeout: 15_000 },
  reporter: [["list"], ["json", { outputFile: "../.pelican/e2e-results.json" }]],
  use: {
    baseURL: `http://localhost:${port}`,
    viewport: { width: 1280, height: 800 },
    launchOptions: { executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium", args: chromium.args },
    trace: "retain-on-failure",
    reducedMotion: "reduce",
  },
  // The journey is a new user's: it comes first, in a fresh demo.
  projects: [
    { name: "journey", testMatch: /journey/ },
    // One that passes at the second try only is named by scripts/test. The journey's steps build on each other and
    // are not repeated.
    { name: "rest", retries: 1, testIgnore: process.env.SCREENSHOTS ? /journey/ : /journey|screenshots/ },
  ],
  webServer: {
    command: "../bin/pelican demo --reset --second=false --dir ../.pelican/e2e",
    env: { ...process.env, PORT: String(port) } as Record<string, string>,
    url: `http://localhost:${port}/readyz`,
    timeout: 60_000,
    gracefulShutdown: { signal: "SIGINT", timeout: 20_000 },
  },
});
