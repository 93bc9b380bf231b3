// What the quick tests do over a file, over the servers.
process.env.KINDS = "servers";
await import("../application.test.ts");
await import("../computed.test.ts");
await import("../path.test.ts");
await import("./loading.test.ts");
await import("../rise.test.ts");
