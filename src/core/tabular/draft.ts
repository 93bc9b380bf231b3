import type { Entity } from "../model/model.ts";
import type { Addresses } from "./cells.ts";
import type { MatchedField } from "./matching.ts";
import type { NotedCell, SheetPlan, TextFormat } from "./plan.ts";
import type { SheetProfile } from "./profile.ts";
import type { FoundLink, LinkableColumn } from "./relationships.ts";
import type { Title } from "./titles.ts";

/** A sheet that was looked at. */
export interface ProfiledSheet {
  file: string;
  sheet?: string;
  text?: TextFormat;
  hidden?: boolean;
  /** How many comments and links its cells have. */
  remarks?: number;
  /** What is above the header. */
  above: NotedCell[];
  /** Rows in which quotes are where none belong. */
  strayQuotes?: readonly number[];
  /** The formula of each column that has one in every row, in cells of the row: `=E*F`. */
  formulas?: ReadonlyMap<number, string>;
  profile: SheetProfile;
  addresses: Addresses;
  shape: SheetShape;
}

/** How a table was found on its sheet. */
export interface SheetShape {
  /** What the plan says of it. */
  plan: Pick<SheetPlan, "area" | "turned" | "stack" | "repeat" | "unpivot" | "joined">;
  /** Why, in words. */
  why: string[];
  /** What it is called, where that isn't the name of the sheet. */
  called?: string;
  /** The unit of its values, where its caption says so. */
  unit?: string;
  /** The sheet whose records these are parts of, the column by which they refer to them, and whether they are named after them. */
  part?: { of: ProfiledSheet; by: number; isNamedAfter: boolean };
  /** Columns that are left out, by their titles or letters. */
  leave: string[];
}

/** A sheet on the way to its plan. */
export interface Draft {
  sheet: ProfiledSheet;
  entity: string;
  /** The entity of the model that the sheet is. */
  known: Entity | undefined;
  /** Whether its columns say so, and not its name. */
  isByColumns: boolean;
  /** The fields of that entity, by the places of their columns. */
  matched: ReadonlyMap<number, MatchedField>;
  columns: DraftColumn[];
}

export interface DraftColumn extends LinkableColumn {
  title: Title;
  link?: FoundLink;
  /** Whether another column's values are this one's. */
  isTarget: boolean;
  isRequiredLink: boolean;
}
