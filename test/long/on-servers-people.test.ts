// What the tests of people and their rights do over a file, over the servers.
process.env.KINDS = "servers";
await import("./people.test.ts");
await import("./organisations.test.ts");
await import("./signing-in.test.ts");
process.env.MODELS = "2";
process.env.RIGHTS = "4";
await import("../rights.test.ts");
await import("../submissions.test.ts");
await import("../importing.test.ts");
await import("../filters.test.ts");
await import("../api.test.ts");
