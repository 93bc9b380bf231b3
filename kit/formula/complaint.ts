import type { Span } from "./tree.ts";
import { type FormulaWords, formulaWords, type Says } from "./words.ts";

/** What is wrong with a formula, and where. */
export interface Complaint {
  at: Span;
  /** In English, or in the language of whoever asked. */
  message: string;
  help?: string;
  /** The same in any language, where it is known. */
  says?: Says;
  helps?: Says;
  /** What is to be written for what is there, which has another name by now. */
  renamed?: string;
}

/** A complaint that can be told in any language. */
export function complaintOf(at: Span, says: Says, helps?: Says, renamed?: string): Complaint {
  return {
    at,
    message: says(formulaWords),
    says,
    ...(helps && { help: helps(formulaWords), helps }),
    ...(renamed !== undefined && { renamed }),
  };
}

/** A complaint in the words of a language. */
export function toldComplaint(
  { message, help, says, helps }: Complaint,
  words: FormulaWords,
): { message: string; help: string | undefined } {
  return { message: says?.(words) ?? message, help: helps?.(words) ?? help };
}

/** Thrown where a formula makes no sense, and caught where one is read. */
export class Complained extends Error {
  readonly complaint: Complaint;

  constructor(says: Says, at: Span, helps?: Says, renamed?: string) {
    super();
    this.complaint = complaintOf(at, says, helps, renamed);
  }
}
