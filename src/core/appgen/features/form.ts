import { isComputed } from "../../model/model.ts";
import { controlOf } from "../fields.ts";
import { textAttribute } from "../labels.ts";
import { Module } from "../module.ts";
import { inputName, type Subject } from "../subject.ts";
import type { FeatureCode } from "./feature.ts";

const frame = "../../kit/ui/form-page.tsx";
const scope = "form.scope";
const controls = "../../kit/fields/controls.tsx";

/** `hive.form.tsx`: the form of an entity. */
export const formCode: FeatureCode = {
  file: { end: "form.tsx", text: (_model, subject) => formModule(subject) },
  made: (module, { camel, pascal, file }) =>
    `${module.use("form", "../../kit/features/form/form.tsx")}(${module.use(`${camel}Entity`, `./${file}.ts`)}, ${module.use(`${pascal}FormPage`, `./${file}.form.tsx`)})`,
};

function formModule({ entity, pascal }: Subject): string {
  const module = new Module();
  const sections = entity.sections.map(({ title, titles, fields }) => {
    const lines = fields.flatMap((name) => {
      const field = entity.fields.find((candidate) => candidate.name === name);
      if (!field || isComputed(field)) return [];
      const remarks = (["placeholder", "hint"] as const).map((option) => {
        const text = field[option];
        return text ? textAttribute(option, text, field.translations?.[option], scope) : "";
      });
      return `<${module.use(controlOf(field), controls)} form={form} name="${inputName(field)}"${field.as ? ` as="${field.as}"` : ""}${remarks.join("")} />`;
    });
    return `<${module.use("FormSection", frame)}${title ? textAttribute("title", title, titles, scope) : ""}>${lines.join("\n")}</FormSection>`;
  });
  module.add(`export function ${pascal}FormPage({ form }: ${module.type("FormProps", "../../kit/ui/form.ts")}) {
  return (
    <${module.use("FormFrame", frame)} form={form}>
      ${sections.join("\n      ")}
    </FormFrame>
  );
}`);
  return module.print();
}
