import type { Context } from "hono";
import { HTTPException } from "hono/http-exception";
import type { Child } from "hono/jsx";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { newToken } from "../../store/submissions.ts";
import { showPage, Trail } from "../../ui/layout.tsx";
import { WideTable } from "../../ui/wide-table.tsx";
import type { Feature } from "../feature.ts";
import { keysOf, type Mapping, proposedMapping, sentMapping, targetsOf } from "./mapping.ts";
import { importRows, type RowOutcome } from "./rows.ts";
import { mostRows, readSheet, type Sheet, sheetOf, writtenSheet } from "./sheet.ts";

/** How many rows of each kind a page lists. */
const mostListed = 200;

/** Takes rows of a file into a list: its columns are mapped, what becomes of each row is shown, and then it is saved. */
export function importing<Known extends Entity>(known: Known): Feature {
  const entity = known as unknown as Entity;
  const needs = { action: "add", entity } as const;
  const path = `${entity.path}/import`;
  return {
    links: [
      {
        on: "list",
        needs: "add",
        path: "/import",
        look: "secondary",
        text: ({ importWord }) => importWord,
      },
    ],
    routes: [
      { method: "GET", path, needs, answer: (c, scope) => askForFile(c, scope, entity) },
      { method: "POST", path, needs, answer: (c, scope) => stepSent(c, scope, entity) },
    ],
  };
}

/** What a page of an import sends. */
async function stepSent(c: Context, scope: Scope, entity: Entity) {
  let data: FormData;
  try {
    data = await c.req.formData();
  } catch (error) {
    throw new HTTPException(400, { cause: error });
  }
  const text = (name: string) => {
    const value = data.get(name);
    return typeof value === "string" ? value : "";
  };
  const file = data.get("file");
  if (file instanceof File) {
    const sheet = await sheetOf(new Uint8Array(await file.arrayBuffer()));
    if (typeof sheet === "string") {
      const why = scope.messages.importWrong[sheet](scope.format.number(mostRows));
      return askForFile(c, scope, entity, why);
    }
    return showMapping(c, scope, entity, sheet, proposedMapping(scope, entity, sheet));
  }
  const sheet = readSheet(text("sheet"));
  if (!sheet) return askForFile(c, scope, entity, scope.messages.importWrong.unreadable(""));
  const mapping = sentMapping(scope, entity, sheet, text);
  if (text("do") === "map") return showMapping(c, scope, entity, sheet, mapping);
  if (mapping.fields.every((name) => name === "")) {
    return showMapping(c, scope, entity, sheet, mapping, scope.messages.importNoColumn);
  }
  if (text("do") !== "save") return showPreview(c, scope, entity, sheet, mapping);
  const outcomes = await importRows(scope, entity, sheet, mapping, text("token") || newToken());
  return showOutcomes(c, scope, entity, outcomes);
}

function Frame({
  scope,
  entity,
  title,
  wrong,
  children,
}: {
  scope: Scope;
  entity: Entity;
  title: string;
  /** Why it doesn't go on. */
  wrong?: string | undefined;
  children?: Child;
}) {
  return (
    <>
      <Trail scope={scope} to={encodeURI(entity.path)} label={scope.namesOf(entity).headings} />
      <h1>{title}</h1>
      {wrong && (
        <div class="alert alert-danger" role="alert">
          {wrong}
        </div>
      )}
      {children}
    </>
  );
}

function askForFile(c: Context, scope: Scope, entity: Entity, wrong?: string) {
  const { messages, format } = scope;
  const title = messages.importOf(scope.namesOf(entity).many);
  const page = (
    <Frame scope={scope} entity={entity} title={title} wrong={wrong}>
      <form method="post" enctype="multipart/form-data" class="sheet narrow-form">
        <div class="mb-3">
          <label class="form-label" for="file">
            {messages.importFile}
          </label>
          <input
            class="form-control"
            type="file"
            id="file"
            name="file"
            required
            accept=".csv,.tsv,.txt,.xlsx"
            aria-describedby="file-hint"
          />
          <div class="form-text" id="file-hint">
            {messages.importHint(format.number(mostRows))}
          </div>
        </div>
        <button class="btn btn-primary" type="submit">
          {messages.goOn}
        </button>
      </form>
    </Frame>
  );
  return showPage(c, scope, page, { title, status: wrong ? 422 : 200 });
}

/** What the pages of an import carry along. */
function Carried({ sheet, mapping }: { sheet: Sheet; mapping?: Mapping }) {
  return (
    <>
      <input type="hidden" name="sheet" value={writtenSheet(sheet)} />
      {mapping?.fields.map((name, at) => (
        <input type="hidden" name={`column.${at}`} value={name} />
      ))}
      {mapping && <input type="hidden" name="key" value={mapping.key} />}
      {mapping?.clears && <input type="hidden" name="clears" value="yes" />}
    </>
  );
}

function Options({
  choices,
  chosen,
  none,
}: {
  choices: readonly (readonly [string, string])[];
  chosen: string;
  none: string;
}) {
  return (
    <>
      <option value="">{none}</option>
      {choices.map(([value, label]) => (
        <option value={value} selected={value === chosen}>
          {label}
        </option>
      ))}
    </>
  );
}

function showMapping(
  c: Context,
  scope: Scope,
  entity: Entity,
  sheet: Sheet,
  mapping: Mapping,
  wrong?: string,
) {
  const { messages } = scope;
  const { one, many } = scope.namesOf(entity);
  const title = messages.importOf(many);
  const targets = targetsOf(scope, entity);
  const page = (
    <Frame scope={scope} entity={entity} title={title} wrong={wrong}>
      <form method="post" enctype="multipart/form-data" class="sheet">
        <Carried sheet={sheet} />
        <WideTable label={messages.columns}>
          <table class="table">
            <thead>
              <tr>
                <th scope="col">{messages.importColumn}</th>
                <th scope="col">{messages.importExamples}</th>
                <th scope="col">{messages.importGoesTo}</th>
              </tr>
            </thead>
            <tbody>
              {sheet.titles.map((name, at) => (
                <tr>
                  <th scope="row">{name || messages.importUntitled(at + 1)}</th>
                  <td class="soft">{examplesOf(sheet, at)}</td>
                  <td>
                    <select
                      class="form-select form-select-sm"
                      name={`column.${at}`}
                      aria-label={`${messages.importGoesTo}: ${name || messages.importUntitled(at + 1)}`}
                    >
                      <Options
                        choices={targets}
                        chosen={mapping.fields[at] ?? ""}
                        none={messages.importLeftOut}
                      />
                    </select>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </WideTable>
        <div class="mb-3 mt-3 narrow-form">
          <label class="form-label" for="key">
            {messages.importKey(one)}
          </label>
          <select class="form-select" id="key" name="key" aria-describedby="key-hint">
            <Options
              choices={keysOf(scope, entity)}
              chosen={mapping.key}
              none={messages.importAllNew}
            />
          </select>
          <div class="form-text" id="key-hint">
            {messages.importKeyHint}
          </div>
        </div>
        <div class="form-check mb-3">
          <input
            class="form-check-input"
            type="checkbox"
            id="clears"
            name="clears"
            value="yes"
            checked={mapping.clears}
          />
          <label class="form-check-label" for="clears">
            {messages.importClears}
          </label>
        </div>
        <button class="btn btn-primary" type="submit">
          {messages.importPreview}
        </button>
      </form>
    </Frame>
  );
  return showPage(c, scope, page, { title, status: wrong ? 422 : 200 });
}

/** The first different values of a column. */
function examplesOf({ rows }: Sheet, at: number): string {
  const values = new Set<string>();
  for (const row of rows) {
    const text = (row[at] ?? "").trim();
    if (text !== "") values.add(text.length > 40 ? `${text.slice(0, 39)}…` : text);
    if (values.size === 3) break;
  }
  return [...values].join(" · ");
}

async function showPreview(
  c: Context,
  scope: Scope,
  entity: Entity,
  sheet: Sheet,
  mapping: Mapping,
) {
  const { messages, format } = scope;
  const { one, many } = scope.namesOf(entity);
  const outcomes = await importRows(scope, entity, sheet, mapping);
  const saved = outcomes.filter(({ kind }) => kind === "new" || kind === "changed");
  const title = messages.importOf(many);
  const page = (
    <Frame scope={scope} entity={entity} title={title}>
      <p>{messages.importNothingYet}</p>
      <OutcomeTables scope={scope} outcomes={outcomes} words={messages.importWould} />
      <form method="post" enctype="multipart/form-data" class="buttons">
        <Carried sheet={sheet} mapping={mapping} />
        <input type="hidden" name="token" value={newToken()} />
        {saved.length > 0 && (
          <button class="btn btn-primary" type="submit" name="do" value="save">
            {messages.importSave(format.count(saved.length, one, many))}
          </button>
        )}
        <button class="btn btn-outline-secondary" type="submit" name="do" value="map">
          {messages.importBack}
        </button>
      </form>
    </Frame>
  );
  return showPage(c, scope, page, { title });
}

function showOutcomes(c: Context, scope: Scope, entity: Entity, outcomes: readonly RowOutcome[]) {
  const { messages } = scope;
  const title = messages.importOf(scope.namesOf(entity).many);
  const page = (
    <Frame scope={scope} entity={entity} title={title}>
      <OutcomeTables scope={scope} outcomes={outcomes} words={messages.importDid} />
      <a class="btn btn-primary" href={encodeURI(entity.path)}>
        {scope.namesOf(entity).headings}
      </a>
    </Frame>
  );
  return showPage(c, scope, page, { title });
}

const kinds = ["refused", "changed", "new", "same"] as const;

/** What becomes of the rows, those first that somebody has to look at. */
function OutcomeTables({
  scope,
  outcomes,
  words,
}: {
  scope: Scope;
  outcomes: readonly RowOutcome[];
  words: Readonly<Record<RowOutcome["kind"], string>>;
}) {
  const { messages, format } = scope;
  return (
    <>
      {kinds.map((kind) => {
        const rows = outcomes.filter((outcome) => outcome.kind === kind);
        if (rows.length === 0) return null;
        const heading = `${words[kind]}: ${format.number(rows.length)}`;
        return (
          <details class="sheet outcome" open={kind === "refused" || kind === "changed"}>
            <summary>{heading}</summary>
            <WideTable label={heading}>
              <table class="table">
                <tbody>
                  {rows.slice(0, mostListed).map((outcome) => (
                    <tr>
                      <th scope="row" class="soft">
                        {messages.importRow(format.number(outcome.number))}
                      </th>
                      <td>
                        {outcome.href ? <a href={outcome.href}>{outcome.title}</a> : outcome.title}
                      </td>
                      <td>
                        {outcome.why}
                        {outcome.changes.map(({ label, before, after }) => (
                          <div>
                            {label}: <del>{before || messages.none}</del>{" "}
                            <ins>{after || messages.none}</ins>
                          </div>
                        ))}
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </WideTable>
            {rows.length > mostListed && (
              <p class="soft small">{messages.importFirst(format.number(mostListed))}</p>
            )}
          </details>
        );
      })}
    </>
  );
}
