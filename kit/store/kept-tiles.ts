import type { Kysely } from "kysely";
import { firstOrganisation } from "../access/accounts.ts";
import type { AnyTables, Scope } from "../access/scope.ts";
import { inTransaction } from "./transactions.ts";

/** A part of a start page that somebody put together. */
export interface KeptTile {
  /** The table of its entity. */
  of: string;
  /** Blank where it is called by what it shows. */
  name: string;
  query: string;
}

/** Whose start page it is: the person's own, or that of everybody who has none of their own. */
export type Whose = "own" | "everyone";

/** The most tiles of a start page. */
export const mostTiles = 24;

interface TileTable {
  levadura_tile: {
    organisation_id: number;
    /** 0 for everybody. */
    account_id: number;
    place: number;
    /** Blank in the row that says that there are no tiles. */
    entity_table: string;
    name: string;
    query: string;
  };
}

/** The tiles that were kept for the person, or else for everybody; undefined where none ever were. */
export async function keptTiles(
  scope: Scope,
): Promise<{ whose: Whose; tiles: KeptTile[] } | undefined> {
  const { person, organisation = firstOrganisation } = scope;
  const rows = await tables(scope.db)
    .selectFrom("levadura_tile")
    .select(["account_id", "entity_table", "name", "query"])
    .where("organisation_id", "=", organisation)
    .where("account_id", "in", [0, person?.id ?? 0])
    .orderBy("account_id", "desc")
    .orderBy("place")
    .execute();
  const [first] = rows;
  if (!first) return undefined;
  const owner = Number(first.account_id);
  const tiles = rows
    .filter(({ account_id, entity_table }) => Number(account_id) === owner && entity_table !== "")
    .map(({ entity_table: of, name, query }) => ({ of, name, query }));
  return { whose: owner === 0 ? "everyone" : "own", tiles };
}

/** Keeps a start page in the place of the one before; undefined forgets it. */
export async function keepTiles(
  scope: Scope,
  whose: Whose,
  tiles: readonly KeptTile[] | undefined,
): Promise<void> {
  const { person, organisation = firstOrganisation } = scope;
  const account = whose === "own" ? (person?.id ?? 0) : 0;
  const none: KeptTile = { of: "", name: "", query: "" };
  const rows = (tiles?.length === 0 ? [none] : (tiles ?? [])).slice(0, mostTiles);
  await inTransaction(tables(scope.db), async (db) => {
    await db
      .deleteFrom("levadura_tile")
      .where("organisation_id", "=", organisation)
      .where("account_id", "=", account)
      .execute();
    if (rows.length === 0) return;
    await db
      .insertInto("levadura_tile")
      .values(
        rows.map(({ of, name, query }, place) => ({
          organisation_id: organisation,
          account_id: account,
          place,
          entity_table: of,
          name,
          query,
        })),
      )
      .execute();
  });
}

function tables(db: Kysely<AnyTables>): Kysely<TileTable> {
  return db as unknown as Kysely<TileTable>;
}
