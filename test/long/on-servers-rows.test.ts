// What the tests of schemas, rows and formulas do over a file, over the servers.
process.env.KINDS = "servers";
await import("../application.test.ts");
await import("../checks.test.ts");
await import("../computed.test.ts");
await import("../path.test.ts");
await import("./loading.test.ts");
await import("./rise.test.ts");
await import("../seeding.test.ts");
await import("./kept.test.ts");
await import("./crossing-names.test.ts");
await import("./outages.test.ts");
await import("../scripts.test.ts");
await import("./estimates.test.ts");
await import("../words.test.ts");
await import("../hostile-text.test.ts");
