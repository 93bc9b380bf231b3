import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import {
  dimensionText,
  drawings,
  type Figure,
  figureKinds,
  markKinds,
  mostFigures,
  mostGroups,
  type Report,
  reportParameters,
  tellings,
} from "../../formula/report.ts";
import { formulaLabel } from "../../store/report/dimensions.ts";
import {
  type DimensionOption,
  dimensionOptions,
  figureOptions,
  formulaWords,
} from "../../store/report/options.ts";
import type { Trouble } from "../../store/report/run.ts";

/** What is chosen in the form of a report, as it is sent. */
const sent = [
  "_by",
  "_figure",
  "_of",
  "_as",
  "_named",
  "_format",
  "_across",
  "_mark",
  "_number",
  "_ask",
] as const;

/** The address of a report that was put together in its form; undefined where the address is one already. */
export function reportAddress(query: URLSearchParams): URLSearchParams | undefined {
  if (!sent.some((name) => query.has(name))) return undefined;
  const next = new URLSearchParams(query);
  for (const name of [...sent, "by", "show", "named", "format", "across", "mark", "ask"])
    next.delete(name);
  for (const text of query.getAll("_by")) if (text.trim()) next.append("by", text.trim());
  const across = query.get("_across")?.trim();
  if (across) next.set("across", across);
  const formulas = query.getAll("_of");
  const [tellings, names, formats] = ["_as", "_named", "_format"].map((name) => query.getAll(name));
  let place = 0;
  for (const [at, kind] of query.getAll("_figure").entries()) {
    const of = formulas[at]?.trim() ?? "";
    if (kind === "" || (kind !== "count" && of === "")) continue;
    const as = tellings?.[at] ? `:${tellings[at]}` : "";
    next.append("show", kind === "count" ? kind + as : `${kind}:${of}${as}`);
    place++;
    const [name, format] = [names?.[at]?.trim(), formats?.[at]?.trim()];
    if (name) next.append("named", `${place}:${name}`);
    if (format) next.append("format", `${place}:${format}`);
  }
  const [mark, number] = [query.get("_mark"), query.get("_number")?.trim().replace(",", ".")];
  if (mark && number) next.set("mark", `${mark}:${number}`);
  for (const path of (query.get("_ask") ?? "").split(",")) {
    if (path.trim()) next.append("ask", path.trim());
  }
  for (const [name, value] of [...next]) if (value === "") next.delete(name, value);
  return next;
}

/** The form in which a report is put together. It is sent as an address, which can be kept and passed on. */
export function ReportBuilder({
  scope,
  entity,
  report,
  query,
  troubles,
}: {
  scope: Scope;
  entity: Entity;
  report: Report;
  query: URLSearchParams;
  troubles: readonly Trouble[];
}) {
  const { messages } = scope;
  const words = messages.report;
  const dimensions = dimensionOptions(scope, entity);
  const numbers = figureOptions(scope, entity);
  const own: ReadonlySet<string> = new Set([
    ...reportParameters,
    "only",
    "page",
    "after",
    "before",
    "layout",
  ]);
  const kept = [...query].filter(([name]) => !own.has(name));
  const groups = [...report.groups.map(dimensionText), ""].slice(0, mostGroups);
  const figures: (Figure | undefined)[] = [...report.figures, undefined].slice(0, mostFigures);
  const trouble = (text: string) => troubles.find((each) => each.text === text);
  return (
    <form class="report-form" method="get" action={encodeURI(entity.path)}>
      <input type="hidden" name="layout" value="report" />
      {kept.map(([name, value]) => (
        <input type="hidden" name={name} value={value} />
      ))}
      <datalist id="formula-words">
        {formulaWords(scope, entity).map(({ text, label }) => (
          <option value={text}>{label}</option>
        ))}
      </datalist>
      <fieldset>
        <legend>{words.groupBy}</legend>
        {groups.map((text, at) => (
          <DimensionSelect
            name="_by"
            label={at === 0 ? words.groupBy : `${words.thenBy} (${at + 1})`}
            nothing={words.nothing}
            options={dimensions}
            chosen={text}
          />
        ))}
        {report.groups.length < mostGroups && (
          <input
            class="form-control form-control-sm"
            name="_by"
            list="report-fields"
            data-formula
            aria-label={words.own}
            placeholder={words.own}
            title={words.formulaHint}
            maxlength={500}
            autocomplete="off"
          />
        )}
        <div class="report-line">
          <span>{words.across}</span>
          <DimensionSelect
            name="_across"
            label={words.across}
            nothing={words.nothing}
            options={dimensions}
            chosen={report.across ? dimensionText(report.across) : ""}
          />
        </div>
        <label class="report-line">
          <span>{words.blanks}</span>
          <select class="form-select form-select-sm" name="blanks">
            <option value="">{words.blank}</option>
            <option value="zero" selected={report.blanks === "zero"}>
              {words.zero}
            </option>
          </select>
        </label>
      </fieldset>
      <fieldset>
        <legend>{words.show}</legend>
        <datalist id="report-fields">
          {numbers.map(({ text, label }) => (
            <option value={text}>{label}</option>
          ))}
        </datalist>
        <datalist id="report-formats">
          {["money", "percent", "0", "1", "2"].map((format) => (
            <option value={format} />
          ))}
        </datalist>
        {figures.map((figure, at) => (
          <div class="report-figure">
            <select
              class="form-select form-select-sm"
              name="_figure"
              aria-label={`${words.show}, ${at + 1}`}
            >
              {!figure && <option value="">{words.nothing}</option>}
              {figureKinds.map((kind) => (
                <option value={kind} selected={figure?.kind === kind}>
                  {words.figures[kind]}
                </option>
              ))}
            </select>
            <input
              class="form-control form-control-sm"
              name="_of"
              list="report-fields"
              data-formula
              value={figure && figure.kind !== "count" ? figure.of : ""}
              aria-label={`${words.of}, ${at + 1}`}
              placeholder={words.of}
              title={words.formulaHint}
              maxlength={500}
              autocomplete="off"
              aria-invalid={
                figure && trouble(figure.kind === "count" ? "" : figure.of) ? "true" : undefined
              }
            />
            <select
              class="form-select form-select-sm"
              name="_as"
              aria-label={`${words.toldAs}, ${at + 1}`}
            >
              <option value="">{words.itself}</option>
              {tellings.map((telling) => (
                <option value={telling} selected={figure?.as === telling}>
                  {words.tellings[telling]}
                </option>
              ))}
            </select>
            <input
              class="form-control form-control-sm"
              name="_named"
              value={figure?.name ?? ""}
              aria-label={`${words.figureName}, ${at + 1}`}
              placeholder={words.figureName}
              maxlength={60}
              autocomplete="off"
            />
            <input
              class="form-control form-control-sm"
              name="_format"
              list="report-formats"
              value={figure?.format ?? ""}
              aria-label={`${words.figureFormat}, ${at + 1}`}
              placeholder={words.figureFormat}
              title={words.formatHint}
              maxlength={20}
              autocomplete="off"
            />
          </div>
        ))}
      </fieldset>
      <fieldset>
        <legend>{words.order}</legend>
        <select class="form-select form-select-sm" name="order" aria-label={words.order}>
          <option value="">{words.inOrder}</option>
          {report.figures.flatMap((figure, at) =>
            [true, false].map((descending) => (
              <option
                value={`${descending ? "-" : ""}${at + 1}`}
                selected={report.order?.figure === at && report.order.descending === descending}
              >
                {(descending ? words.largestFirst : words.smallestFirst)(
                  figureName(scope, entity, figure),
                )}
              </option>
            )),
          )}
        </select>
        <label class="report-line">
          <span>{words.first}</span>
          <select class="form-select form-select-sm" name="first">
            <option value="">{words.all}</option>
            {[3, 5, 10, 20, 50].map((count) => (
              <option value={String(count)} selected={report.first === count}>
                {String(count)}
              </option>
            ))}
          </select>
        </label>
        <div class="report-mark">
          <select class="form-select form-select-sm" name="_mark" aria-label={words.mark}>
            <option value="">{`${words.mark}: ${words.nothing}`}</option>
            {report.figures.flatMap((figure, at) =>
              markKinds.map((kind) => (
                <option
                  value={`${at + 1}:${kind}`}
                  selected={report.mark?.figure === at && report.mark.kind === kind}
                >
                  {words.marks[kind](figureName(scope, entity, figure))}
                </option>
              )),
            )}
          </select>
          <input
            class="form-control form-control-sm"
            name="_number"
            inputmode="decimal"
            value={report.mark ? String(report.mark.value) : ""}
            aria-label={words.markNumber}
            placeholder="3"
            autocomplete="off"
          />
        </div>
        <label class="report-line">
          <span>{words.drawnAs}</span>
          <select class="form-select form-select-sm" name="drawn">
            {drawings.map((drawing) => (
              <option
                value={drawing === "table" ? "" : drawing}
                selected={report.drawn === drawing}
              >
                {words.drawings[drawing]}
              </option>
            ))}
          </select>
        </label>
      </fieldset>
      <label class="report-only">
        <span>{words.ask}</span>
        <input
          class="form-control form-control-sm"
          name="_ask"
          data-formula
          value={(report.ask ?? []).join(", ")}
          maxlength={500}
          autocomplete="off"
          placeholder={words.askHint}
        />
      </label>
      <label class="report-only">
        <span>{words.only}</span>
        <input
          class="form-control form-control-sm"
          name="only"
          data-formula
          value={query.get("only") ?? ""}
          maxlength={500}
          autocomplete="off"
          placeholder={words.onlyHint}
        />
      </label>
      <button class="btn btn-primary" type="submit">
        {words.apply}
      </button>
    </form>
  );
}

/** A figure in a few words, before anything is known of its formula. */
function figureName(scope: Scope, entity: Entity, figure: Figure): string {
  const { figures, figureOf } = scope.messages.report;
  const kind = figures[figure.kind];
  return figure.kind === "count" ? kind : figureOf(kind, formulaLabel(scope, entity, figure.of));
}

function DimensionSelect({
  name,
  label,
  nothing,
  options,
  chosen,
}: {
  name: string;
  label: string;
  nothing: string;
  options: readonly DimensionOption[];
  chosen: string;
}) {
  const known = options.some(({ text }) => text === chosen);
  return (
    <select class="form-select form-select-sm" name={name} aria-label={label}>
      <option value="">{nothing}</option>
      {!known && chosen && (
        <option value={chosen} selected>
          {chosen}
        </option>
      )}
      {options.map((option) => (
        <option value={option.text} selected={option.text === chosen}>
          {option.label}
        </option>
      ))}
    </select>
  );
}
