import { type Entity, namedViews } from "../../model/model.ts";
import { columnOf } from "../../schema/from-model.ts";
import { labelCode } from "../labels.ts";
import { Module, object, quote } from "../module.ts";
import type { FeatureCode } from "./feature.ts";

/** `hive.list.tsx`: the columns of the table of an entity. */
export const listCode: FeatureCode = {
  file: {
    end: "list.tsx",
    text: (_model, { entity, camel, file, many }) => {
      const module = new Module();
      const named = (name: string) => {
        const field = entity.fields.find((each) => each.name === name);
        return field ? columnOf(field) : name;
      };
      const columns = entity.columns.map((column) => {
        if (!column.includes("{")) return quote(named(column));
        const known = module.use(`${camel}Entity`, `./${file}.ts`);
        const template = column.replace(/\{([^{}]*)\}/g, (_, name) => `{${named(name.trim())}}`);
        return `${module.use("joined", "../../kit/ui/joined.tsx")}(${known}, ${quote(template)})`;
      });
      module.add(
        `export const ${camel}Columns: ${module.type("Columns", "../../kit/ui/columns.ts")}<typeof ${module.type(`${camel}Entity`, `./${file}.ts`)}> = [${columns.join(", ")}];`,
        `The columns of ${many}, in their list and on the pages of what they belong to. A column of your own is written
as \`{ label: "Age", cell: (row, scope) => … }\`, with TSX in it.`,
      );
      return module.print();
    },
  },
  made: (module, { entity, camel, file }) => {
    const options = optionsOf(entity);
    return `${module.use("list", "../../kit/features/list/list.tsx")}(${module.use(`${camel}Entity`, `./${file}.ts`)}, ${module.use(`${camel}Columns`, `./${file}.list.tsx`)}, ${options})`;
  },
};

/** What a list has besides its columns: tabs, layouts and views. */
function optionsOf(entity: Entity): string {
  const { tabs, layouts = [], fields } = entity;
  const column = (name: string) => {
    const field = fields.find((each) => each.name === name);
    return quote(field ? columnOf(field) : name);
  };
  const laid = layouts.map((layout) =>
    "field" in layout ? `{ ${layout.kind}: ${column(layout.field)} }` : quote(layout.kind),
  );
  const named = namedViews(entity).map(({ name, names, query, groups, menu }) =>
    object([
      ["name", labelCode({ label: name, labels: names })],
      ["query", quote(query)],
      ...(groups ? [["for", JSON.stringify(groups)] as const] : []),
      ...(menu ? [["menu", "true"] as const] : []),
    ]),
  );
  return object([
    ...(tabs === undefined ? [] : [["tabs", quote(tabs)] as const]),
    ["layouts", `[${laid.join(", ")}]`],
    ...(named.length > 0 ? [["views", `[${named.join(", ")}]`] as const] : []),
  ]);
}
