// What the quick tests do over a file, over the servers.
process.env.KINDS = "servers";
await import("../answers.test.ts");
await import("../application.test.ts");
await import("../checks.test.ts");
await import("../computed.test.ts");
await import("../path.test.ts");
await import("./loading.test.ts");
await import("../rise.test.ts");
await import("../seeding.test.ts");
