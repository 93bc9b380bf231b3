import type { Entity } from "../model/model.ts";
import type { MatchedField } from "./matching.ts";
import type { NotedCell, TextFormat } from "./plan.ts";
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
