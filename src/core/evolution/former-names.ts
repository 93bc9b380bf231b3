import { alike, type Step } from "./steps.ts";

/**
 * Which names replace old ones. The old name has to exist, and the new one has to be free: it is unused, or its owner
 * is renamed too, or the old name is no longer in use. `was` stays in a model after the change was made; then the new
 * name exists and nothing is renamed. `unclear` lists the old names that remain in use.
 */
export function takenOver(
  formerly: ReadonlyMap<string, string>,
  before: ReadonlySet<string>,
  now: ReadonlySet<string>,
): { renamed: Map<string, string>; unclear: { name: string; old: string }[] } {
  const renamed = new Map<string, string>();
  const unclear: { name: string; old: string }[] = [];
  for (let more = true; more; ) {
    more = false;
    for (const [name, old] of formerly) {
      // An old name that is no longer in use is merged into the new one if that exists.
      const isFree = !before.has(name) || renamed.has(name) || !now.has(old);
      if (name === old || !before.has(old) || renamed.has(old) || !isFree) continue;
      if (now.has(old) && !formerly.has(old)) {
        if (!unclear.some((each) => each.name === name)) unclear.push({ name, old });
        continue;
      }
      renamed.set(old, name);
      more = true;
    }
  }
  return { renamed, unclear };
}

/** Circles of names that are exchanged: in each list, every name was the next one, and the last was the first. */
export function circlesOf(
  formerly: ReadonlyMap<string, string>,
  before: ReadonlySet<string>,
): string[][] {
  const circles: string[][] = [];
  const seen = new Set<string>();
  for (const start of formerly.keys()) {
    const path: string[] = [];
    let name: string | undefined = start;
    while (name !== undefined && before.has(name) && !seen.has(name) && !path.includes(name)) {
      path.push(name);
      name = formerly.get(name);
    }
    if (name === start && path.length > 1) circles.push(path);
    for (const each of path) if (name === start) seen.add(each);
  }
  return circles;
}

/** What things say that they were, by what they are called. */
export function formerNames(
  all: readonly { name: string; was?: string }[],
  called: (name: string) => string,
): Map<string, string> {
  return new Map(
    all.flatMap(({ name, was }) =>
      was === undefined ? [] : [[called(name), called(was)] as const],
    ),
  );
}

/**
 * Whether an existing name claims to have been another existing name, while nothing else takes over its own values:
 * it is unclear which values are meant. If the other name stays in use, `was` is left over from an earlier change.
 */
export function isReplaced(
  name: string,
  formerly: ReadonlyMap<string, string>,
  names: ReadonlySet<string>,
  isThere: (name: string) => boolean,
): boolean {
  const was = formerly.get(name);
  if (was === undefined || was === name || !isThere(name) || !isThere(was)) return false;
  if ([...formerly.values()].includes(name)) return false;
  const next = formerly.get(was);
  return !names.has(was) || (next !== undefined && isThere(next));
}

/** The name that something has while others change places. */
export const passingName = "levadura_passing";

/** The renames by which names in a circle change places; `rename` gives the steps of one. */
export function circleSteps(
  circle: readonly string[],
  rename: (from: string, to: string) => Step[],
): Step[] {
  const [first = ""] = circle;
  const moves: [string, string][] = [[first, passingName]];
  // Each name was the next one: what had the next name has this one now.
  circle.forEach((name, at) => {
    const old = circle[at + 1];
    moves.push([old ?? passingName, name]);
  });
  return moves.flatMap(([from, to]) => rename(from, to));
}

/** Whether steps were taken already, one right after the other. */
export function wereTaken<Each>(steps: readonly Each[], history: readonly Each[]): boolean {
  return history.some((_, at) => steps.every((step, index) => alike(step, history[at + index])));
}
