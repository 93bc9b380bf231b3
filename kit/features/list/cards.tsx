import type { Child } from "hono/jsx";
import type { Scope } from "../../access/scope.ts";
import type { Entity, Highlight, Row } from "../../entity/entity.ts";
import { address } from "../../entity/links.ts";
import { filesIn, isPicture } from "../../files/stored-file.ts";
import { type Columns, labelOfShown, shownColumns } from "../../ui/columns.ts";
import { HighlightNote } from "../../ui/highlight.tsx";
import { shownValue } from "../../ui/value.tsx";

/** A column as a card has it. */
interface CardFact {
  label: string;
  cell(row: Row, scope: Scope): Child;
}

/** What a card says of a record besides its title: the columns of the list, but some fields. */
export function cardFacts<Known extends Entity>(
  scope: Scope,
  known: Known,
  columns: Columns<Known>,
  but: readonly (string | undefined)[] = [],
): CardFact[] {
  const entity = known as unknown as Entity;
  const [title, ...more] = entity.titleParts;
  // What is the whole title isn't said twice.
  const whole = title && "field" in title && more.length === 0 ? title.field : undefined;
  return shownColumns(scope, known, columns).flatMap((column): CardFact[] => {
    const own = typeof column === "string" ? undefined : column;
    const name = typeof column === "string" ? column : column.field;
    if (name !== undefined && (name === whole || but.includes(name))) return [];
    return [
      {
        label: labelOfShown(scope, entity, column),
        cell:
          own?.cell ??
          ((row, scope) => shownValue(scope, row, name ?? "", entity.fields[name ?? ""])),
      },
    ];
  });
}

/** A record as a card; what is blank isn't shown. */
export function Card({
  scope,
  row,
  facts,
  highlight,
  picture,
  level: Heading,
  children,
}: {
  scope: Scope;
  row: Row;
  facts: readonly CardFact[];
  highlight: Highlight | undefined;
  /** The address of a picture of it. */
  picture?: string | undefined;
  /** What its title is on the page. */
  level: "h2" | "h3";
  children?: Child;
}) {
  const filled = facts.flatMap(({ label, cell }) => {
    const value = cell(row, scope);
    return value === null || value === undefined || String(value) === "" ? [] : [{ label, value }];
  });
  return (
    <article class="card-record" data-color={highlight?.color}>
      {picture && <img class="card-picture" src={picture} alt="" loading="lazy" />}
      <Heading>
        <a href={address(row)}>{row.displayTitle}</a>
        <HighlightNote scope={scope} highlight={highlight} />
      </Heading>
      {filled.length > 0 && (
        <dl>
          {filled.map(({ label, value }) => (
            <div>
              <dt>{label}</dt>
              <dd>{value}</dd>
            </div>
          ))}
        </dl>
      )}
      {children}
    </article>
  );
}

/** The field with the picture of each record: the first that the person sees. */
export function pictureField(scope: Scope, entity: Entity): string | undefined {
  return Object.keys(entity.fields).find(
    (name) => entity.fields[name]?.kind === "image" && !scope.isHidden(entity, name),
  );
}

/** The records of a page as cards. */
export function Cards({
  scope,
  picture,
  rows,
  facts,
  highlights,
}: {
  scope: Scope;
  /** The field with a picture of each. */
  picture: string | undefined;
  rows: readonly Row[];
  facts: readonly CardFact[];
  highlights: ReadonlyMap<number, Highlight>;
}) {
  return (
    <div class="cards">
      {rows.map((row) => (
        <Card
          scope={scope}
          row={row}
          facts={facts}
          highlight={highlights.get(row.id)}
          picture={picture && pictureOf(row, picture)}
          level="h2"
        />
      ))}
    </div>
  );
}

function pictureOf(row: Row, field: string): string | undefined {
  const found = filesIn(row[field]).find(isPicture);
  return found && `${address(row)}/files/${field}/${found.key}?as=small`;
}
