/** The single-word names in the lists of a library: of all kinds, each once, always in the same order. */
export function namesIn(lists: unknown): string[] {
  const found = Array.isArray(lists) ? lists : Object.values((lists ?? {}) as object).flat();
  const names = found.filter(
    (name): name is string => typeof name === "string" && /^\p{Lu}\p{Ll}{2,}$/u.test(name),
  );
  return [...new Set(names)].sort();
}
