// What the tests of forms and files do over a file, over the servers.
process.env.KINDS = "servers";
await import("../conditional-fields.test.ts");
await import("../files.test.ts");
await import("../lookups.test.ts");
await import("../forms.test.ts");
await import("../merge.test.ts");
await import("../part-rows.test.ts");
await import("../record-page.test.ts");
await import("./killed-saves.test.ts");
await import("./forms-in-browser.test.ts");
await import("./part-rows-in-browser.test.ts");
