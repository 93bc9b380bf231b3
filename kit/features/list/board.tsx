import { allowedAmong, fieldsKept } from "../../access/row-rights.ts";
import type { Scope } from "../../access/scope.ts";
import type { Entity, Highlight, Row } from "../../entity/entity.ts";
import { withQuery } from "../../entity/links.ts";
import { choiceLabel, colorOf } from "../../fields/choice.tsx";
import { filterParameter } from "../../store/list/filters.ts";
import { highlightsAmong } from "../../store/list/highlights.ts";
import { listPage, type Total } from "../../store/list/list.ts";
import { firstPage, type ListRequest, listRequest } from "../../store/list/request.ts";
import { newToken } from "../../store/submissions.ts";
import type { Columns } from "../../ui/columns.ts";
import { totalText } from "../../ui/total.ts";
import type { Moved } from "../moving.tsx";
import { Card, cardFacts } from "./cards.tsx";

/** The most cards of a column; a link leads to the others. */
const mostCards = 25;
/** The most facts on a card. */
const mostFacts = 3;

/** The records with one value of the field that a board goes by; with none, where the value is blank. */
interface BoardColumn {
  value: string;
  rows: readonly Row[];
  total: Total;
  /** The list of all of them. */
  href: string;
}

/** What a board shows. */
export interface BoardPage {
  field: string;
  columns: readonly BoardColumn[];
  /** The records that the person may move. */
  movable: ReadonlySet<number>;
  highlights: ReadonlyMap<number, Highlight>;
}

/** The records that a list finds, by the values of a choice. */
export async function boardPage(
  scope: Scope,
  entity: Entity,
  request: ListRequest,
  name: string,
): Promise<BoardPage> {
  const field = entity.fields[name];
  const parameter = filterParameter(name);
  const asked = request.query.getAll(parameter);
  const isBlankAsked = request.query.get(`${parameter}.blank`) === "yes";
  const isNarrowed = asked.length > 0 || isBlankAsked;
  const values = Object.keys(field?.choices ?? {}).filter(
    (value) => !isNarrowed || asked.includes(value),
  );
  const blanks = !field?.required && (!isNarrowed || isBlankAsked) ? [""] : [];
  const columns: BoardColumn[] = [];
  for (const value of [...values, ...blanks]) {
    const changes = {
      [parameter]: value || undefined,
      [`${parameter}.blank`]: value ? undefined : "yes",
      ...firstPage,
      size: undefined,
    };
    const href = withQuery(encodeURI(entity.path), request.query, changes);
    const own = listRequest(new URL(href, "http://localhost").searchParams);
    const { rows, total } = await listPage(scope, entity, { ...own, size: mostCards });
    if (value || rows.length > 0) {
      columns.push({
        value,
        rows: rows as unknown as Row[],
        total,
        href: withQuery(href.split("?")[0] ?? "", own.query, { layout: "table" }),
      });
    }
  }
  const ids = columns.flatMap(({ rows }) => rows.map(({ id }) => id));
  const kept = await fieldsKept(scope, "change", entity);
  return {
    field: name,
    columns,
    movable: kept.has(name) ? new Set() : await allowedAmong(scope, "change", entity, ids),
    highlights: await highlightsAmong(scope, entity, ids),
  };
}

/** Where a record is sent that is moved to another column. */
export function movePath({ path }: Entity): string {
  return `${path}/move`;
}

/** A column of cards for each value of a choice. */
export function Board<Known extends Entity>({
  scope,
  entity: known,
  board: { field: name, columns, movable, highlights },
  shown,
  query,
}: {
  scope: Scope;
  entity: Known;
  board: BoardPage;
  shown: Columns<Known>;
  query: URLSearchParams;
}) {
  const entity = known as unknown as Entity;
  const { messages } = scope;
  const field = entity.fields[name];
  if (!field) return null;
  const facts = cardFacts(scope, known, shown, [name]).slice(0, mostFacts);
  const label = (value: string) =>
    value ? choiceLabel(field, value, scope.language) : messages.isBlank;
  const back = withQuery(encodeURI(entity.path), query, {});
  return (
    <section class="board" data-board aria-label={scope.translated(field.label)} tabindex={0}>
      {columns.map(({ value, rows, total, href }) => (
        <section class="board-column" data-value={value} data-color={colorOf(field, value)}>
          <h2>
            {label(value)} <span class="tally">{totalText(scope, entity, total)}</span>
          </h2>
          {rows.map((row) => (
            <Card
              scope={scope}
              row={row}
              facts={facts}
              highlight={highlights.get(row.id)}
              level="h3"
            >
              {movable.has(row.id) && (
                <form method="post" action={encodeURI(movePath(entity))} class="move" data-move>
                  <input type="hidden" name="id" value={row.id} />
                  <input type="hidden" name="_version" value={row.version} />
                  <input type="hidden" name="_token" value={newToken()} />
                  <input type="hidden" name="_back" value={back} />
                  <select
                    class="form-select form-select-sm"
                    name="to"
                    aria-label={messages.moveRecord(row.displayTitle)}
                  >
                    {!field.required && (
                      <option value="" selected={value === ""}>
                        {messages.isBlank}
                      </option>
                    )}
                    {Object.keys(field.choices ?? {}).map((each) => (
                      <option value={each} selected={each === value}>
                        {label(each)}
                      </option>
                    ))}
                  </select>
                  <button class="btn btn-outline-secondary btn-sm" type="submit">
                    {messages.move}
                  </button>
                </form>
              )}
            </Card>
          ))}
          {(total.more || total.count > rows.length) && (
            <a class="small" href={href}>
              {messages.showAllOf(scope.format.number(total.count) + (total.more ? "+" : ""))}
            </a>
          )}
        </section>
      ))}
    </section>
  );
}

/** What becomes of a record that is moved to another column of a board. */
export function movedTo(scope: Scope, entity: Entity, name: string, to: string): Moved | undefined {
  const field = entity.fields[name];
  if (!field || scope.isHidden(entity, name)) return undefined;
  return {
    changes: new Map([[name, to ? [to] : []]]),
    words: to ? choiceLabel(field, to, scope.language) : scope.messages.isBlank,
  };
}
