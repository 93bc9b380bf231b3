import { expect, it } from "vitest";
import { readModel } from "../model/read.ts";
import { sampleRecord, someRecord } from "./sample.ts";

it("makes one record with what it needs and no more, which holds to its rules", () => {
  const { model, diagnostics } = readModel(`levadura: 1
entities:
  Apiary: {fields: {name: "text, required"}}
  Hive:
    fields:
      code: text, required, unique
      apiary: one Apiary, required
      other: one Apiary, required when frames > 3
      status: choice retired | active, required
      removed: date, required when status = 'retired'
      frames: integer 0..20, required
      notes: long text
      sunny: boolean, default yes
      due: date, required, default = removed + 3 days
    rules:
      - Many frames.: "= frames > 14"
`);
  const entity = model?.entities[1];
  if (!model || !entity) throw new Error(JSON.stringify(diagnostics));
  const record = sampleRecord(model, entity, "2026-01-01");
  expect(record).toMatchObject({ code: "H-001", apiary_id: someRecord, other_id: someRecord });
  expect(record.notes).toBeNull();
  expect(record.sunny).toBe(true);
  expect(Number(record.frames)).toBeGreaterThan(14);
  expect(record.removed !== null).toBe(record.status === "retired");
  expect(record.due).not.toBeNull();
  expect(sampleRecord(model, entity, "2026-01-01")).toEqual(record);
});
