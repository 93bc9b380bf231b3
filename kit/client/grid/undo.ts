import type { Value } from "./cells.ts";

/** What one action changed in a cell. */
export interface Step {
  cell: HTMLTableCellElement;
  before: Value;
  after: Value;
}

/** The most actions that can be taken back. */
const mostActions = 200;

/** The actions that can be taken back, and those that were. */
export class History {
  #done: Step[][] = [];
  #undone: Step[][] = [];

  add(steps: Step[]): void {
    if (steps.length === 0) return;
    this.#done = [...this.#done, steps].slice(-mostActions);
    this.#undone = [];
  }

  undo(): Step[] {
    const steps = this.#done.pop() ?? [];
    if (steps.length > 0) this.#undone.push(steps);
    return steps.map(({ cell, before, after }) => ({ cell, before: after, after: before }));
  }

  redo(): Step[] {
    const steps = this.#undone.pop() ?? [];
    if (steps.length > 0) this.#done.push(steps);
    return steps;
  }
}
