/** What can be done with the records of an entity. */
export const actions = ["see", "add", "change", "delete"] as const;
export type Action = (typeof actions)[number];
