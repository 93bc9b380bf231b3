/** Whether other records hang on those of an entity: it is first, between, or last. */
export type PlaceInLife = "first" | "between" | "last";
