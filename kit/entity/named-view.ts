import type { Label } from "./label.ts";

/** A list under a name, with what stands behind the `?` of its address. */
export interface NamedView {
  name: Label;
  query: string;
  /** The groups of people who find it; everybody who sees the records, without them. */
  for?: readonly string[];
  /** Whether it is in the menu. */
  menu?: true;
}
