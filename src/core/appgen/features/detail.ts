import { type Field, isComputed, type Model } from "../../model/model.ts";
import { withArticle } from "../../naming/words.ts";
import { columnOf } from "../../schema/from-model.ts";
import { textAttribute } from "../labels.ts";
import { Module, object } from "../module.ts";
import { inputName, type Subject, subjectOf } from "../subject.ts";
import type { FeatureCode } from "./feature.ts";

const pages = "../../kit/ui/record-page.tsx";

/** `hive.detail.tsx`: the page of a record, with the records of other entities that belong to it. */
export const detailCode: FeatureCode = {
  file: { end: "detail.tsx", text: detailModule },
  made: (module, { camel, pascal, file, referrers }) => {
    const from = `./${file}.detail.tsx`;
    const related = referrers.length > 0 ? `, ${module.use(`${camel}Related`, from)}` : "";
    return `${module.use("detail", "../../kit/features/detail/detail.tsx")}(${module.use(`${camel}Entity`, `./${file}.ts`)}, ${module.use(`${pascal}DetailPage`, from)}${related})`;
  },
};

function detailModule(model: Model, subject: Subject): string {
  const module = new Module();
  const { camel, pascal, file, one, referrers } = subject;
  const entity = module.type(`${camel}Entity`, `./${file}.ts`);
  const hasRelated = referrers.length > 0;
  const related = referrers.map(({ entity: other, field, property }): [string, string] => {
    const { camel: name, file: source } = subjectOf(model, other);
    const constant =
      source === file
        ? module.use(`${name}Entity`, `./${file}.ts`)
        : module.use(`${name}Entity`, `../${source}/${source}.ts`);
    return [
      property,
      `${module.use("relatedBy", "../../kit/store/list/related.ts")}(${constant}, "${inputName(field)}")`,
    ];
  });
  if (hasRelated) {
    module.add(
      `export const ${camel}Related = ${object(related)};`,
      `The records of other entities on the page of ${withArticle(one)}.`,
    );
  }
  const props = `${module.type("DetailProps", "../../kit/features/detail/detail.tsx")}<typeof ${entity}${hasRelated ? `, typeof ${camel}Related` : ""}>`;
  const sections = [...facts(module, subject), ...relatedTables(module, model, subject)];
  module.add(`export function ${pascal}DetailPage({ view${hasRelated ? ", related" : ""} }: ${props}) {
  return (
    <${module.use("RecordFrame", pages)} view={view}>
      ${sections.join("\n      ")}
    </RecordFrame>
  );
}`);
  return module.print();
}

function facts(module: Module, { entity }: Subject): string[] {
  const shown = new Set(entity.sections.flatMap(({ fields }) => fields));
  const left = entity.fields.filter(({ name }) => !shown.has(name));
  const names = (fields: readonly Field[]) => fields.map(({ name }) => name);
  const computed = names(left.filter(isComputed));
  const others = names(left.filter((field) => !isComputed(field)));
  const [first, ...more] = entity.sections;
  // Where the form is one list, what is computed follows in it.
  const untitled = first && !first.title && more.length === 0;
  const own = (title: string) => ` title={view.scope.messages.${title}}`;
  const sections = [
    ...(untitled ? [{ ...first, fields: [...first.fields, ...computed] }] : entity.sections).map(
      ({ title, titles, fields }) => ({
        fields,
        title: title && textAttribute("title", title, titles, "view.scope"),
      }),
    ),
    ...(computed.length > 0 && !untitled ? [{ title: own("computed"), fields: computed }] : []),
    ...(others.length > 0 ? [{ title: own("other"), fields: others }] : []),
  ];
  return sections.map(({ title, fields }) => {
    const lines = fields.map((name) => {
      const field = entity.fields.find((each) => each.name === name);
      return `<${module.use("Fact", pages)} view={view} field="${field ? columnOf(field) : name}" />`;
    });
    return `<${module.use("Facts", pages)}${title ?? ""}>${lines.join("\n")}</Facts>`;
  });
}

function relatedTables(module: Module, model: Model, { file, referrers }: Subject): string[] {
  return referrers.map(({ entity: other, field, property }) => {
    const { camel, file: source } = subjectOf(model, other);
    const from = source === file ? `./${file}.list.tsx` : `../${source}/${source}.list.tsx`;
    const columns = module.use(`${camel}Columns`, from);
    return `<${module.use("Related", pages)} view={view} page={related.${property}} field="${inputName(field)}" columns={${columns}} />`;
  });
}
