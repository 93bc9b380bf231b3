import type { ValueType } from "../formula/functions.ts";
import {
  type Entity,
  type Field,
  isComputed,
  isMany,
  isReference,
  type Model,
} from "../model/model.ts";
import { columnOf } from "../schema/from-model.ts";
import { attribute, jsxText, Module, quote } from "./module.ts";
import {
  choicesName,
  inputName,
  isSearched,
  type Subject,
  subjectOf,
  targetOf,
  titleProperty,
} from "./subject.ts";

const tables = "../../kit/record-tables.tsx";
const pages = "../../kit/pages.tsx";
const formats = "../../kit/formats.ts";

/** `hive.pages.tsx`: list, detail and form, to be edited by hand. */
export function pagesModule(model: Model, subject: Subject): string {
  const module = new Module();
  listPage(module, subject);
  table(module, model, subject);
  detailPage(module, model, subject);
  formPage(module, subject);
  return module.print();
}

function listPage(module: Module, subject: Subject): void {
  const { entity, pascal, path, one, many } = subject;
  const searchable = entity.fields.some((field) => isSearched(subject, field));
  const listed = module.type(`Listed${pascal}`, `./${subject.file}.queries.ts`);
  module.add(`export function ${pascal}ListPage({ page }: { page: ${module.type("ListPage", "../../kit/lists.ts")}<${listed}> }) {
  return (
    <${module.use("ListFrame", tables)} title=${attribute(entity.plural)} path="${path}" one=${attribute(one)} many=${attribute(many)} page={page} searchable={${searchable}}>
      <${pascal}Table rows={page.rows} list={page} />
    </ListFrame>
  );
}`);
}

function table(module: Module, model: Model, subject: Subject): void {
  const { entity, pascal, path, variable, camel } = subject;
  const shown = entity.columns.map((name) => columnNamed(entity, name));
  const own = shown.find(({ field }) => !field || leads(field))?.name;
  const labels = `${camel}Labels`;
  const heading = ({ name, field }: Shown) => {
    const key = field ? inputName(field) : name;
    const label = `label={${module.use(labels, `./${subject.file}.ts`)}.${key}}`;
    const numeric = field && isNumeric(subject, field) ? " numeric" : "";
    return isSortable({ name, field })
      ? `<${module.use("ColumnHeading", tables)} ${label} sort="${name}" list={list} path="${path}"${numeric} />`
      : `<th scope="col">{${labels}.${key}}</th>`;
  };
  const cell = (column: Shown) => {
    const value = shownValue(module, model, subject, column);
    const numeric = column.field && isNumeric(subject, column.field);
    if (column.name === own) {
      return `<${module.use("RecordCell", tables)} path="${path}" record={${variable}}${numeric ? " numeric" : ""}>${value}</RecordCell>`;
    }
    return `<td${numeric ? ' class="text-end"' : ""}>${value}</td>`;
  };
  const hides = shown.some(({ field }) => field && (isReference(field) || isMany(field)));
  const when = ({ field }: Shown, text: string) =>
    field && (isReference(field) || isMany(field))
      ? `{without !== "${inputName(field)}" && (${text})}`
      : text;
  const record = own
    ? []
    : [
        `<${module.use("RecordCell", tables)} path="${path}" record={${variable}}>{${variable}.displayTitle}</RecordCell>`,
      ];
  const lead = own ? [] : [`<th scope="col">${jsxText(entity.label)}</th>`];
  const sorts = shown.some((column) => isSortable(column));
  const props = ["rows", ...(sorts ? ["list"] : []), ...(hides ? ["without"] : []), "back"].join(
    ", ",
  );
  module.type(`Listed${pascal}`, `./${subject.file}.queries.ts`);
  module.add(
    `export function ${pascal}Table({ ${props} }: ${module.type("TableProps", tables)}<Listed${pascal}>) {
  return (
    <table class="table table-hover">
      <thead>
        <tr>
          ${[...lead, ...shown.map((column) => when(column, heading(column)))].join("\n          ")}
          <${module.use("EditHeading", tables)} back={back} />
        </tr>
      </thead>
      <tbody>
        {rows.map((${variable}) => (
          <tr>
            ${[...record, ...shown.map((column) => when(column, cell(column)))].join("\n            ")}
            <${module.use("EditCell", tables)} path="${path}" record={${variable}} back={back} />
          </tr>
        ))}
      </tbody>
    </table>
  );
}`,
    `${entity.plural} as a table: in their list, and on the pages of what they belong to.`,
  );
}

interface Shown {
  name: string;
  /** Undefined for an automatic field. */
  field?: Field | undefined;
}

function columnNamed(entity: Entity, name: string): Shown {
  return { name, field: entity.fields.find((field) => field.name === name) };
}

/** Whether a list can be sorted by a column. */
function isSortable({ field }: Shown): boolean {
  return !field || (!isMany(field) && field.type.kind !== "long text");
}

/** Whether a cell with this value can be the link to the record. */
function leads(field: Field): boolean {
  return ![
    "one",
    "part of",
    "many",
    "boolean",
    "email",
    "url",
    "phone",
    "color",
    "long text",
    "formula",
  ].includes(field.type.kind);
}

function isNumeric({ computed }: Subject, field: Field): boolean {
  const { type } = field;
  const found = computed.get(field)?.type;
  return type.kind === "integer" || "places" in type || found === "number" || found === "span";
}

/** As what kind of value a field is shown. */
function kindShown({ computed }: Subject, field: Field): Field["type"]["kind"] {
  const calculation = computed.get(field);
  if (!calculation) return field.type.kind;
  if (calculation.money && !field.unit) return "money";
  return shownAs[calculation.type];
}

const shownAs: Readonly<Record<ValueType, Field["type"]["kind"]>> = {
  number: "decimal",
  span: "decimal",
  text: "text",
  boolean: "boolean",
  date: "date",
  time: "time",
  moment: "datetime",
};

/** A value as a page shows it, as JSX children. */
function shownValue(
  module: Module,
  model: Model,
  subject: Subject,
  { name, field }: Shown,
): string {
  const at = `${subject.variable}.`;
  if (!field) {
    return name.endsWith("_at")
      ? `{${module.use("formatDateTime", formats)}(${at}${name})}`
      : `{${at}${name}}`;
  }
  const value = `${at}${columnOf(field)}`;
  if (isReference(field)) {
    const { path } = targetOf(model, field);
    return `<${module.use("RecordLink", tables)} path="${path}" id={${value}} title={${at}${titleProperty(field)}} />`;
  }
  if (isMany(field)) {
    const { path } = targetOf(model, field);
    return `<${module.use("RecordLinks", tables)} path="${path}" links={${at}${field.name}} />`;
  }
  const unit = field.unit ?? (subject.computed.get(field)?.type === "span" ? "days" : undefined);
  switch (kindShown(subject, field)) {
    case "integer":
    case "decimal":
      return `{${module.use("formatNumber", formats)}(${value}${unit ? `, ${quote(unit)}` : ""})}`;
    case "percent":
      return `{${module.use("formatNumber", formats)}(${value}, "%")}`;
    case "money":
      return `{${module.use("formatMoney", formats)}(${value})}`;
    case "boolean":
      return `{${module.use("formatBoolean", formats)}(${value})}`;
    case "date":
      return `{${module.use("formatDate", formats)}(${value})}`;
    case "datetime":
      return `{${module.use("formatDateTime", formats)}(${value})}`;
    case "email":
      return `<${module.use("EmailLink", tables)} value={${value}} />`;
    case "phone":
      return `<${module.use("PhoneLink", tables)} value={${value}} />`;
    case "url":
      return `<${module.use("WebLink", tables)} value={${value}} />`;
    case "color":
      return `<${module.use("ColorText", tables)} value={${value}} />`;
    case "choice": {
      const choices = module.use(choicesName(subject, field), `./${subject.file}.ts`);
      return `<${module.use("ChoiceText", tables)} value={${value}} choices={${choices}} />`;
    }
    default:
      return `{${value}}`;
  }
}

function detailPage(module: Module, model: Model, subject: Subject): void {
  const { entity, pascal, path, variable, camel, referrers } = subject;
  const labels = module.use(`${camel}Labels`, `./${subject.file}.ts`);
  const shown = new Set(entity.sections.flatMap(({ fields }) => fields));
  const left = entity.fields.filter(({ name }) => !shown.has(name));
  const names = (fields: readonly Field[]) => fields.map(({ name }) => name);
  const computed = names(left.filter(isComputed));
  const others = names(left.filter((field) => !isComputed(field)));
  const [first, ...more] = entity.sections;
  // Where the form is one list, what is computed follows in it.
  const untitled = first && !first.title && more.length === 0;
  const sections = [
    ...(untitled ? [{ ...first, fields: [...first.fields, ...computed] }] : entity.sections),
    ...(computed.length > 0 && !untitled ? [{ title: "Computed", fields: computed }] : []),
    ...(others.length > 0 ? [{ title: "Other", fields: others }] : []),
  ];
  const facts = sections.map(({ title, fields }) => {
    const lines = fields.map((name) => {
      const column = columnNamed(entity, name);
      const key = column.field ? inputName(column.field) : name;
      const long = column.field?.type.kind === "long text";
      const value = long
        ? `<${module.use("Lines", pages)} text={${variable}.${name}} />`
        : shownValue(module, model, subject, column);
      return `<${module.use("Fact", pages)} label={${labels}.${key}}>${value}</Fact>`;
    });
    return `<${module.use("Facts", pages)}${title ? ` title=${attribute(title)}` : ""}>${lines.join("\n")}</Facts>`;
  });
  const related = referrers.map((referrer) => {
    const other = subjectOf(model, referrer.entity);
    const name = `${other.pascal}Table`;
    const component =
      other.file === subject.file
        ? name
        : module.use(name, `../${other.file}/${other.file}.pages.tsx`);
    const page = `relations.${referrer.property}`;
    const field = inputName(referrer.field);
    const single = referrer.field.unique ? " single" : "";
    return `<${module.use("Related", pages)} title=${attribute(referrer.heading)} one=${attribute(other.one)} path="${other.path}" page={${page}} field="${field}" record={${variable}} back={here}${single}>
        <${component} rows={${page}.rows} without="${field}" back={here} />
      </Related>`;
  });
  const record = module.type(`${pascal}Record`, `./${subject.file}.queries.ts`);
  const hasRelated = related.length > 0;
  const relations = hasRelated
    ? module.type(`${pascal}Relations`, `./${subject.file}.queries.ts`)
    : "";
  const taken = hasRelated
    ? `{ record: ${variable}, relations }: { record: ${record}; relations: ${relations} }`
    : `{ record: ${variable} }: { record: ${record} }`;
  module.add(`export function ${pascal}DetailPage(${taken}) {
  ${hasRelated ? `const here = ${module.use("address", "../../kit/links.ts")}("${path}", ${variable});` : ""}
  return (
    <${module.use("RecordFrame", pages)} kind=${attribute(entity.label)} path="${path}" many=${attribute(entity.plural)} record={${variable}}>
      ${[...facts, ...related].join("\n      ")}
    </RecordFrame>
  );
}`);
}

/** The kit's entry for each kind of value. */
const entryNames: Readonly<Partial<Record<Field["type"]["kind"], string>>> = {
  text: "TextField",
  "long text": "LongTextField",
  integer: "NumberField",
  decimal: "NumberField",
  money: "NumberField",
  percent: "NumberField",
  boolean: "CheckboxField",
  date: "DateField",
  time: "TimeField",
  datetime: "DateTimeField",
  email: "EmailField",
  url: "UrlField",
  phone: "PhoneField",
  color: "ColorField",
  choice: "ChoiceField",
  one: "LookupField",
  "part of": "LookupField",
  many: "LookupsField",
};

function formPage(module: Module, subject: Subject): void {
  const { entity, pascal, path } = subject;
  const entries = "../../kit/form-fields.tsx";
  const sections = entity.sections.map(({ title, fields }) => {
    const lines = fields.flatMap((name) => {
      const field = entity.fields.find((candidate) => candidate.name === name);
      if (!field || isComputed(field)) return [];
      const entry = module.use(entryNames[field.type.kind] ?? "TextField", entries);
      const unit = field.type.kind === "percent" ? "%" : field.unit;
      const money =
        field.type.kind === "money"
          ? ` unit={${module.use("settings", "../../kit/settings.ts")}().currency}`
          : "";
      return [
        `<${entry} form={form} name="${inputName(field)}"${unit ? ` unit=${attribute(unit)}` : money}${
          field.placeholder ? ` placeholder=${attribute(field.placeholder)}` : ""
        }${field.hint ? ` hint=${attribute(field.hint)}` : ""} />`,
      ];
    });
    return `<${module.use("FormSection", entries)}${title ? ` title=${attribute(title)}` : ""}>${lines.join("\n")}</FormSection>`;
  });
  module.add(`export function ${pascal}FormPage(props: ${module.type("FormPageProps", "../../kit/routes.tsx")}) {
  const { form } = props;
  return (
    <${module.use("FormFrame", pages)} {...props} path="${path}" many=${attribute(entity.plural)}>
      ${sections.join("\n      ")}
    </FormFrame>
  );
}`);
}
