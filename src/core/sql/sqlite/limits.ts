import type { Limits } from "../limits.ts";

/** 2,000 columns, of which every text may take two. */
export const limits: Limits = { name: "SQLite", columns: 1000, indexes: Number.POSITIVE_INFINITY };
