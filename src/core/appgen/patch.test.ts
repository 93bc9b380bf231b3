import { expect, it } from "vitest";
import { patchOf } from "./patch.ts";

it("is in the form that git takes: new, changed and deleted files, and what has no end of line", () => {
  const patch = patchOf([
    { path: "app/new.ts", before: null, after: "one\n" },
    { path: "app/same.ts", before: "same\n", after: "same\n" },
    { path: "app/ruche é.ts", before: "one\ntwo\n", after: "one\nthree" },
    { path: "app/old.ts", before: "gone\r\n", after: null },
    { path: "app/empty.ts", before: null, after: "" },
  ]);
  expect(patch).toBe(
    [
      "diff --git a/app/new.ts b/app/new.ts",
      "new file mode 100644",
      "--- /dev/null",
      "+++ b/app/new.ts",
      "@@ -0,0 +1,1 @@",
      "+one",
      'diff --git "a/app/ruche \\303\\251.ts" "b/app/ruche \\303\\251.ts"',
      '--- "a/app/ruche \\303\\251.ts"',
      '+++ "b/app/ruche \\303\\251.ts"',
      "@@ -1,2 +1,2 @@",
      " one",
      "-two",
      "+three",
      "\\ No newline at end of file",
      "diff --git a/app/old.ts b/app/old.ts",
      "deleted file mode 100644",
      "--- a/app/old.ts",
      "+++ /dev/null",
      "@@ -1,1 +0,0 @@",
      "-gone\r",
      "diff --git a/app/empty.ts b/app/empty.ts",
      "new file mode 100644",
      "",
    ].join("\n"),
  );
});
