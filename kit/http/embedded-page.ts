import type { Label } from "../entity/label.ts";

/** A page that may stand in pages of other sites. Whoever looks at it is a visitor, signed in or not. */
export interface EmbeddedPage {
  /** A part of its address, such as `our-apiaries`. */
  name: string;
  kind: "list" | "record" | "form" | "report" | "calendar";
  /** The table of its entity. */
  of: string;
  /** What is shown of it, where that has a name. */
  title?: Label;
  /** What stands behind the `?` of the list, the report or the calendar that it shows. */
  query?: string;
  /** The sites that may show it, such as `https://bees.example`. */
  origins: readonly string[];
  /** How many forms one address may send in a quarter of an hour. */
  limit?: number;
}

/** Where administrators see what may stand in other sites; such pages are below it. */
export const embeddedPath = "/-/embedded";

/** The address of an embedded page; of those that show a record, what its address begins with. */
export function embeddedAddress({ name }: EmbeddedPage): string {
  return `${embeddedPath}/${name}`;
}

/** The embedded page that an address is of. */
export function embeddedAt(pages: readonly EmbeddedPage[], path: string): EmbeddedPage | undefined {
  if (!path.startsWith(`${embeddedPath}/`)) return undefined;
  const [name] = path.slice(embeddedPath.length + 1).split("/");
  return pages.find((page) => page.name === name);
}

/** Where somebody gets who sent an embedded form. */
export function sentAddress(page: EmbeddedPage): string {
  return `${embeddedAddress(page)}?sent=yes`;
}
