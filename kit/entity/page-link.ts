import type { Action } from "../access/action.ts";
import type { Messages } from "../messages/en.ts";
import type { Label, Names } from "./label.ts";

/** A link that a feature gives to the pages of its entity. It shows to those who may do what it needs. */
export interface PageLink {
  /**
   * Where it stands: in the menu, beside the heading of the list or that of a record, below chosen rows of a list, or among
   * the ways to lay out a list, where the screen is wide.
   */
  on: "menu" | "list" | "record" | "rows" | "layouts";
  needs: Action;
  /** What follows the address of the list, or that of the record: `/new`. */
  path: string;
  /** Whether the filters and the order of a list go along. */
  keepsQuery?: true;
  /** The addresses of lists on which it shows; on all, where it doesn't say. */
  when?(query: URLSearchParams): boolean;
  /** The groups of people whom it is for; everybody who may do what it needs, without them. */
  for?: readonly string[] | undefined;
  look: "primary" | "secondary" | "danger";
  /** What people read: a label, or what the words of the entity make. */
  text: Label | ((messages: Messages, names: Names) => string);
}
