import { expect, it } from "vitest";
import { openFile } from "./connection.ts";
import { rowMaker } from "./rows.ts";

it("rows are objects by the names of their columns, with booleans as such", () => {
  const database = openFile(":memory:");
  database.exec(
    "create table hive (code text, kept boolean, \"a b\" real); insert into hive values ('B-1', 1, 2.5), (null, 0, null), ('', null, 7)",
  );
  const statement = database.prepare("select code, kept, 1 = 1 as computed, * from hive").raw(true);
  expect(statement.all().map(rowMaker(statement.columns()))).toEqual([
    { code: "B-1", kept: true, computed: 1, "a b": 2.5 },
    { code: null, kept: false, computed: 1, "a b": null },
    { code: "", kept: null, computed: 1, "a b": 7 },
  ]);
  database.close();
});
