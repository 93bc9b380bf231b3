/**
 * Whose fault a failure is: the input's (model, data), the command line's, or the world's outside
 * (a database, the disk, a port).
 */
export type FailureCode = "input" | "usage" | "outside";

/** The one error that is thrown on purpose: what happened, where, and what to do. Caught in the command line. */
export class Failure extends Error {
  readonly code: FailureCode;
  /** Advice. */
  readonly help: string | undefined;
  /** More to show, such as diagnostics, for whoever prints the failure. */
  readonly details: unknown;

  constructor(code: FailureCode, message: string, help?: string, details?: unknown) {
    super(message);
    this.code = code;
    this.help = help;
    this.details = details;
  }
}
