import { defineConfig } from "vitest/config";

// Two at a time: each file has folders, databases and ports of its own.
const common = { testTimeout: 180_000, hookTimeout: 240_000, maxWorkers: 2 };

export default defineConfig({
  oxc: { jsx: { runtime: "automatic", importSource: "#jsx" } },
  test: {
    projects: [
      {
        extends: true,
        test: {
          ...common,
          name: "quick",
          include: ["src/**/*.test.ts", "kit/**/*.test.{ts,tsx}", "test/*.test.ts"],
        },
      },
      {
        // What needs no built program, with properties tried less often: for running again and again.
        extends: true,
        test: {
          ...common,
          name: "unit",
          include: ["src/**/*.test.ts", "kit/**/*.test.{ts,tsx}"],
          env: { FEWER_RUNS: "1" },
        },
      },
      {
        extends: true,
        test: { ...common, name: "long", include: ["test/long/*.test.ts"], testTimeout: 900_000 },
      },
    ],
  },
});
