// More models with more rights each, over a file.
process.env.MODELS = "12";
process.env.RIGHTS = "8";
await import("../rights.test.ts");
