import type { Action } from "../access/action.ts";
import type { Messages } from "../messages/en.ts";
import type { Names } from "./label.ts";

/** A link that a feature gives to the pages of its entity. It shows to those who may do what it needs. */
export interface PageLink {
  /** Where it stands: in the menu, beside the heading of the list or that of a record, or below chosen rows of a list. */
  on: "menu" | "list" | "record" | "rows";
  needs: Action;
  /** What follows the address of the list, or that of the record: `/new`. */
  path: string;
  /** Whether the filters and the order of a list go along. */
  keepsQuery?: true;
  /** The addresses of lists on which it shows; on all, where it doesn't say. */
  when?(query: URLSearchParams): boolean;
  look: "primary" | "secondary" | "danger";
  text(messages: Messages, names: Names): string;
}
