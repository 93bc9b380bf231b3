// Thousands of formulas, where the quick tests try some hundred.
process.env.ROUNDS ??= "160";
process.env.ROUNDS_FROM ??= "5000";
await import("../computing.test.ts");
