/** Types whose names differ between databases. */
export interface OwnTypes {
  /** A number that each new row gets by itself, as primary key. */
  numbered: string;
  moment: string;
}

/**
 * The tables of the application itself, which no model has: forms that were sent; work that goes on after its
 * request; up to where a replica has to be for each person; the start pages that people put together; the files that were sent; who has which form open; which rows seeding made; which data was loaded, and when;
 * migrations that were reverted, and the folder of what that deleted. A table that was dropped is in them with a hyphen
 * before its name, as long as it isn't back.
 */
function ownTables({ numbered, moment }: OwnTypes): [string, string][] {
  return [
    [
      "levadura_submission",
      "token varchar(36) not null primary key, digest varchar(64) not null, outcome text not null, made_at varchar(20) not null",
    ],
    [
      "levadura_work",
      "id varchar(36) not null primary key, person bigint not null, entity_table varchar(100) not null, action varchar(20) not null, state varchar(20) not null, total bigint not null, tried bigint not null, refused bigint not null, refusals text not null, beat_at varchar(20) not null",
    ],
    [
      "levadura_written",
      "account_id bigint not null primary key, log_position varchar(500) not null",
    ],
    [
      "levadura_tile",
      `id ${numbered}, organisation_id bigint not null, account_id bigint not null, place bigint not null, entity_table varchar(100) not null, name varchar(60) not null, query varchar(2000) not null`,
    ],
    [
      "levadura_presence",
      `id ${numbered}, entity_table varchar(100) not null, record_id bigint not null, account_id bigint not null, name varchar(80) not null, seen_at varchar(20) not null`,
    ],
    [
      "levadura_upload",
      "file_key varchar(32) not null primary key, account_id bigint not null, described varchar(2000) not null, added_at varchar(20) not null",
    ],
    [
      "levadura_seeded",
      `id ${numbered}, entity_table varchar(100) not null, first_id bigint not null, last_id bigint not null`,
    ],
    [
      "levadura_loads",
      `number ${numbered}, entity varchar(200) not null, entity_table varchar(100) not null, checksum varchar(64) not null, loaded_at ${moment} not null`,
    ],
    [
      "levadura_taken_back",
      "name varchar(200) not null primary key, checksum varchar(64) not null, kept text not null",
    ],
  ];
}

/** What making them needs of a database. */
interface OwnTablesConnection {
  ownTypes: OwnTypes;
  hasTable(name: string): Promise<boolean>;
  run(statements: string): Promise<unknown>;
}

/** Makes the tables of the application itself where they aren't there yet. */
export async function makeOwnTables(connection: OwnTablesConnection): Promise<void> {
  for (const [name, columns] of ownTables(connection.ownTypes)) {
    if (await connection.hasTable(name)) continue;
    await connection.run(`create table if not exists ${name} (${columns})`);
  }
}
