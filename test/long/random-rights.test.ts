// More models of rights over a file; the quick tests try one.
process.env.RIGHTS = "6";
await import("../rights.test.ts");
