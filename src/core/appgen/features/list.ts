import { columnOf } from "../../schema/from-model.ts";
import { Module, quote } from "../module.ts";
import type { FeatureCode } from "./feature.ts";

/** `hive.list.tsx`: the columns of the table of an entity. */
export const listCode: FeatureCode = {
  file: {
    end: "list.tsx",
    text: (_model, { entity, camel, file, many }) => {
      const module = new Module();
      const columns = entity.columns.map((name) => {
        const field = entity.fields.find((each) => each.name === name);
        return quote(field ? columnOf(field) : name);
      });
      module.add(
        `export const ${camel}Columns: ${module.type("Columns", "../../kit/ui/table.tsx")}<typeof ${module.type(`${camel}Entity`, `./${file}.ts`)}> = [${columns.join(", ")}];`,
        `The columns of ${many}, in their list and on the pages of what they belong to. A column of your own is written
as \`{ label: "Age", cell: (row, scope) => … }\`, with TSX in it.`,
      );
      return module.print();
    },
  },
  made: (module, { entity, camel, file }) => {
    const options = entity.tabs === undefined ? "" : `, { tabs: ${quote(entity.tabs)} }`;
    return `${module.use("list", "../../kit/features/list/list.tsx")}(${module.use(`${camel}Entity`, `./${file}.ts`)}, ${module.use(`${camel}Columns`, `./${file}.list.tsx`)}${options})`;
  },
};
