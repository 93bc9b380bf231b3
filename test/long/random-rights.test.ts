// More models of rights over a file; the quick tests try one.
process.env.RIGHTS = "8";
await import("../rights.test.ts");
