import { Readable } from "node:stream";
import type { Context } from "hono";
import type { Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { withQuery } from "../../entity/links.ts";
import { pngOf } from "../../files/pictures.ts";
import { reportIn } from "../../formula/report.ts";
import { disposition } from "../../http/disposition.ts";
import { noteEvent } from "../../store/audit.ts";
import { everyId, rowsWith } from "../../store/list/every.ts";
import { type ListRequest, listRequest } from "../../store/list/request.ts";
import { readyReport, runReport } from "../../store/report/run.ts";
import type { Columns } from "../../ui/columns.ts";
import { showPage, Trail } from "../../ui/layout.tsx";
import { WideTable } from "../../ui/wide-table.tsx";
import type { Feature } from "../feature.ts";
import { chosenColumns } from "../list/columns.tsx";
import { chartPicture, plainDrawings } from "../report/picture.tsx";
import { reportTitle } from "../report/report.tsx";
import { type ExportColumn, exportColumns } from "./cells.ts";
import { csvOf } from "./csv.ts";
import { geojsonOf, placeField } from "./geojson.ts";
import { mostPrinted, pdfOf, printed } from "./pdf.ts";
import { type ReportFormat, reportFiles, reportFormats } from "./report-files.ts";
import { mostSheetRows, xlsxOf } from "./xlsx.ts";

/** What a list shows, as a file: all of its pages, with its filters, its order and its columns. */
export function exporting<Known extends Entity>(entity: Known, columns: Columns<Known>): Feature {
  const known = entity as unknown as Entity;
  const needs = { action: "export", entity: known } as const;
  const asked = (c: Context) => listRequest(new URL(c.req.url).searchParams);
  const start = `${entity.path}/export`;
  return {
    links: [
      {
        on: "list",
        needs: "export",
        path: "/export",
        keepsQuery: true,
        look: "secondary",
        text: ({ export: word }) => word,
      },
    ],
    routes: [
      {
        method: "GET",
        path: start,
        needs,
        answer: (c, scope) => offer(c, scope, known, asked(c)),
      },
      ...pictureFormats.map((format) => ({
        method: "GET" as const,
        path: `${start}/picture.${format}`,
        needs,
        answer: (c: Context, scope: Scope) => picture(c, scope, known, asked(c), format),
      })),
      ...reportFormats.map((format) => ({
        method: "GET" as const,
        path: `${start}/report.${format}`,
        needs,
        answer: (c: Context, scope: Scope) => reportFile(c, scope, known, asked(c), format),
      })),
      ...formats.map((format) => ({
        method: "GET" as const,
        path: `${start}/${format}`,
        needs,
        answer: (c: Context, scope: Scope) =>
          answers[format](c, {
            scope,
            entity: known,
            columns: exportColumns(
              scope,
              entity,
              chosenColumns(scope, entity, columns, new URL(c.req.url).searchParams),
            ),
            request: asked(c),
          }),
      })),
    ],
  };
}

const formats = ["csv", "xlsx", "pdf", "geojson", "print"] as const;
type Format = (typeof formats)[number];

/** The most rows that a format takes. */
const most: Readonly<Record<Format, number>> = {
  csv: Number.POSITIVE_INFINITY,
  xlsx: mostSheetRows - 1,
  pdf: mostPrinted,
  geojson: Number.POSITIVE_INFINITY,
  print: mostPrinted,
};

/** The formats that suit an entity: maps need places. */
function formatsOf(scope: Scope, entity: Entity): Format[] {
  return formats.filter((format) => format !== "geojson" || placeField(scope, entity));
}

/** A report as a file; it is in the log from then on. */
async function reportFile(
  c: Context,
  scope: Scope,
  entity: Entity,
  request: ListRequest,
  format: ReportFormat,
) {
  const report = reportIn(request.query);
  const { result } = await runReport(scope, entity, request, report);
  if (!result || result.refused) return c.notFound();
  const title = reportTitle(scope, entity, report);
  const content = await reportFiles[format](scope, title, result);
  await noteReport(scope, entity, request, { rows: result.whole.tally.rows, format });
  return file(c, `${title} ${scope.today}.${format}`, format, Readable.from([content]));
}

/** As what a chart can be had: lines, or points. */
const pictureFormats = ["svg", "png"] as const;

/** The chart of a report as a picture of its own. */
async function picture(
  c: Context,
  scope: Scope,
  entity: Entity,
  request: ListRequest,
  format: (typeof pictureFormats)[number],
) {
  const report = reportIn(request.query);
  const { result } = await runReport(scope, entity, request, report);
  const svg = result && !result.refused && chartPicture(scope, result, report.drawn);
  if (!result || !svg) return c.notFound();
  await noteReport(scope, entity, request, { rows: result.whole.tally.rows, format });
  const name = `${reportTitle(scope, entity, report)} ${scope.today}.${format}`;
  const content = format === "svg" ? Buffer.from(svg) : Buffer.from(await pngOf(svg));
  return file(c, name, format, Readable.from([content]));
}

/** Notes that a report of some rows was exported. */
async function noteReport(
  scope: Scope,
  { table }: Entity,
  { query }: ListRequest,
  what: { rows: number; format: string },
): Promise<void> {
  await noteEvent(scope, "export", { table, ...what, query: query.toString().slice(0, 500) });
}

/** A page that says how many rows there are, and asks as what they are wanted. */
async function offer(c: Context, scope: Scope, entity: Entity, request: ListRequest) {
  const { messages, format } = scope;
  const { headings, one, many } = scope.namesOf(entity);
  const { length: total } = await everyId(scope, entity, request, "export");
  const path = encodeURI(entity.path);
  const title = messages.exportOf(many);
  const page = (
    <>
      <Trail scope={scope} to={withQuery(path, request.query, {})} label={headings} />
      <h1>{title}</h1>
      {request.query.get("layout") === "report" && (
        <ReportFormats scope={scope} entity={entity} query={request.query} />
      )}
      <p>{messages.exportHelp(format.count(total, one, many))}</p>
      <ul class="tiles">
        {formatsOf(scope, entity).map((each) => (
          <li class="tile">
            {total > most[each] ? (
              <strong>{messages.exportFormats[each]}</strong>
            ) : (
              <a
                class="stretched-link"
                href={withQuery(`${path}/export/${each}`, request.query, {})}
              >
                {messages.exportFormats[each]}
              </a>
            )}
            {total > most[each] && (
              <span class="soft small">{messages.exportTooMany(format.number(most[each]))}</span>
            )}
          </li>
        ))}
      </ul>
    </>
  );
  return showPage(c, scope, page, { title });
}

/** As what the report of an address can be had, besides its rows. */
function ReportFormats({
  scope,
  entity,
  query,
}: {
  scope: Scope;
  entity: Entity;
  query: URLSearchParams;
}) {
  const { messages } = scope;
  const path = `${encodeURI(entity.path)}/export`;
  const report = reportIn(query);
  if (readyReport(scope, entity, report).troubles.length > 0) return null;
  const isPicture = !plainDrawings.has(report.drawn);
  const tile = (end: string, words: string) => (
    <li class="tile">
      <a class="stretched-link" href={withQuery(`${path}/${end}`, query, {})}>
        {words}
      </a>
    </li>
  );
  return (
    <>
      <p>{messages.report.exportHelp}</p>
      <ul class="tiles report-formats">
        {reportFormats.map((each) => tile(`report.${each}`, messages.exportFormats[each]))}
        {isPicture &&
          pictureFormats.map((each) => tile(`picture.${each}`, messages.report.pictures[each]))}
      </ul>
    </>
  );
}

/** What is exported. */
interface Exported {
  scope: Scope;
  entity: Entity;
  columns: readonly ExportColumn[];
  request: ListRequest;
}

const answers: Readonly<
  Record<Format, (c: Context, exported: Exported) => Response | Promise<Response>>
> = {
  csv: async (c, exported) => {
    const rows = await rowsOf(exported, "csv", fieldsReadBy(exported.columns));
    if (!rows) return c.notFound();
    return file(c, nameOf(exported, "csv"), "csv", Readable.from(csvOf(exported.columns, rows)));
  },
  xlsx: async (c, exported) => {
    const rows = await rowsOf(exported, "xlsx", fieldsReadBy(exported.columns));
    if (!rows) return c.notFound();
    const { headings } = exported.scope.namesOf(exported.entity);
    return file(
      c,
      nameOf(exported, "xlsx"),
      "xlsx",
      await xlsxOf(headings, exported.columns, rows),
    );
  },
  pdf: async (c, exported) => {
    const rows = await rowsOf(exported, "pdf");
    if (!rows) return c.notFound();
    const { scope, entity, columns } = exported;
    const pages = await pdfOf(scope, scope.namesOf(entity).headings, columns, rows);
    return file(c, nameOf(exported, "pdf"), "pdf", Readable.from([pages]));
  },
  geojson: async (c, exported) => {
    const place = placeField(exported.scope, exported.entity);
    const rows = place && (await rowsOf(exported, "geojson"));
    if (!place || !rows) return c.notFound();
    return file(
      c,
      nameOf(exported, "geojson"),
      "geojson",
      Readable.from(geojsonOf(place, exported.columns, rows)),
    );
  },
  print: async (c, exported) => {
    const rows = await rowsOf(exported, "print");
    return rows ? printable(c, exported, rows) : c.notFound();
  },
};

/** The rows of an export, which is in the log from then on; undefined where there are too many for the format. */
async function rowsOf(
  { scope, entity, request }: Exported,
  format: Format,
  only?: ReadonlySet<string>,
): Promise<AsyncGenerator<Row[]> | undefined> {
  const ids = await everyId(scope, entity, request, "export");
  if (ids.length > most[format]) return undefined;
  const query = request.query.toString().slice(0, 500);
  await noteEvent(scope, "export", { table: entity.table, rows: ids.length, format, query });
  return rowsWith(scope, entity, ids, only);
}

/** The fields that some columns read; undefined where one may read any. */
function fieldsReadBy(columns: readonly ExportColumn[]): ReadonlySet<string> | undefined {
  const names = columns.flatMap(({ reads }) => reads ?? []);
  return names.length === columns.length ? new Set(names) : undefined;
}

const types: Readonly<Record<Exclude<Format, "print"> | (typeof pictureFormats)[number], string>> =
  {
    svg: "image/svg+xml",
    png: "image/png",
    csv: "text/csv; charset=utf-8",
    xlsx: "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    pdf: "application/pdf",
    geojson: "application/geo+json",
  };

function nameOf({ scope, entity }: Exported, format: Format): string {
  return `${scope.namesOf(entity).headings} ${scope.today}.${format}`;
}

/** An answer that browsers save as a file. */
function file(c: Context, name: string, format: keyof typeof types, content: Readable): Response {
  return c.body(Readable.toWeb(content) as ReadableStream, 200, {
    "content-type": types[format],
    "content-disposition": disposition("attachment", name),
  });
}

/** All rows on one page, without what doesn't belong on paper. */
async function printable(
  c: Context,
  { scope, entity, columns, request }: Exported,
  rows: AsyncIterable<Row[]>,
) {
  const all: Row[] = [];
  for await (const some of rows) all.push(...some);
  const { headings, one, many } = scope.namesOf(entity);
  const page = (
    <>
      <Trail
        scope={scope}
        to={withQuery(encodeURI(entity.path), request.query, {})}
        label={headings}
      />
      <h1>{headings}</h1>
      <p class="soft small">
        {scope.format.count(all.length, one, many)} · {scope.format.date(scope.today)}
      </p>
      <WideTable label={headings}>
        <table class="table printed">
          <thead>
            <tr>
              {columns.map(({ label, numeric }) => (
                <th scope="col" class={numeric ? "text-end" : undefined}>
                  {label}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {all.map((row) => (
              <tr>
                {columns.map((column) => (
                  <td class={column.numeric ? "text-end" : undefined}>
                    {printed(scope, column.cell(row), column)}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </WideTable>
    </>
  );
  return showPage(c, scope, page, { title: headings });
}
