// What the tests of lists and reports do over a file, over the servers.
process.env.KINDS = "servers";
await import("../lists.test.ts");
await import("../layouts.test.ts");
await import("../grid.test.ts");
await import("../long-lists.test.ts");
await import("../archive.test.ts");
await import("../by-hand.test.ts");
await import("../places.test.ts");
await import("../reports.test.ts");
await import("../start-page.test.ts");
await import("../calendar.test.ts");
await import("../tags.test.ts");
process.env.REPORT_MODELS = "2";
await import("./random-reports.test.ts");
await import("./grid-in-browser.test.ts");
