import type { Action } from "./action.ts";

export const appearances = ["light", "dark"] as const;

export type Appearance = (typeof appearances)[number];

/** What a token may do, of what its person may: the actions by the tables of entities. */
export type Narrowing = Readonly<Record<string, readonly Action[]>>;

/** Someone who uses the application. */
export interface Person {
  id: number;
  name: string;
  /** The names of the groups that the person is in. */
  groups?: readonly string[];
  /** The organisation in which they work at the moment. */
  organisation?: { id: number; name: string; plan?: string };
  /** The number of the record that the person is, if they are one. */
  record?: number;
  /** A language tag; the application's own without it. */
  language?: string;
  /** An IANA time zone; the application's own without it. */
  timezone?: string;
  /** The token of theirs by which a program asks, and what it may do; all that they may, where it doesn't say. */
  token?: { name: string; may: Narrowing | undefined };
  /** Whether pages are light or dark for them; as their machine says, without it. */
  appearance?: Appearance;
}

/** The group whose members may do everything, and manage the others. */
export const administrators = "administrators";

export function isAdministrator(person: Person | undefined): boolean {
  return person?.groups?.includes(administrators) ?? false;
}
