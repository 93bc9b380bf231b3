/** How often work is tried that met another change or lost its connection. */
export const mostAttempts = 6;

/** Waits after an attempt that failed: longer each time, and not the same for two that met. */
export function pauseAfter(attempt: number): Promise<void> {
  const longest = 10 * 2 ** attempt;
  return new Promise((resolve) => setTimeout(resolve, longest * (0.5 + Math.random() / 2)));
}
