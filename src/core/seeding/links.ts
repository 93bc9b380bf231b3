import { type Entity, type Field, isMany } from "../model/model.ts";
import { linkOf } from "../schema/from-model.ts";
import { Picker, type Records } from "./parents.ts";

/** The table of what a field with many records holds, and the pairs in it. */
export interface LinkMaker {
  table: string;
  columns: [from: string, to: string];
  field: Field & { type: { entity: string } };
  /** The numbers of what the row with a number holds, each once. */
  targets(row: number): number[];
}

/** The links of the rows of an entity. */
export function linkMakers(
  entity: Entity,
  seed: number,
  records: ReadonlyMap<string, Records>,
): LinkMaker[] {
  return entity.fields.filter(isMany).map((field) => {
    const { table, from, to } = linkOf(entity, field);
    const picker = new Picker(seed, entity.name, field.name);
    const target = records.get(field.type.entity);
    // One of its own kind may turn out to be the record itself.
    const least =
      field.required || field.requiredWhen ? (field.type.entity === entity.name ? 2 : 1) : 0;
    return {
      table,
      columns: [from, to],
      field,
      targets: (row) =>
        target && target.count > 0
          ? picker.pickSeveral(target.count, row, least).map((place) => target.id(place))
          : [],
    };
  });
}
