import { writeFileSync } from "node:fs";
import { deflateRawSync } from "node:zlib";
import { type CellObject, utils, type WorkBook, write } from "@e965/xlsx";

/** A cell of a workbook: a plain value, or the cell as its library has it. */
export type TestCell = string | number | boolean | null | CellObject;

/** A sheet of a workbook. */
export interface TestSheet {
  rows: TestCell[][];
  merges?: string[];
  hidden?: boolean;
}

/** A number with the format in which people see it. */
export function shown(value: number, format: string): CellObject {
  return { t: "n", v: value, z: format };
}

/** Writes a workbook into a file. */
export function writeWorkbook(
  path: string,
  sheets: Record<string, TestSheet>,
  { date1904 = false } = {},
): void {
  const book: WorkBook = utils.book_new();
  for (const [name, { rows, merges = [], hidden }] of Object.entries(sheets)) {
    const sheet = utils.aoa_to_sheet(rows);
    sheet["!merges"] = merges.map((range) => utils.decode_range(range));
    utils.book_append_sheet(book, sheet, name);
    if (hidden) utils.book_set_sheet_visibility(book, name, 1);
  }
  book.Workbook = { ...book.Workbook, WBProps: { date1904 } };
  writeFileSync(
    path,
    write(book, { type: "buffer", bookType: path.endsWith("ods") ? "ods" : "xlsx" }),
  );
}

/** An archive of these parts. One may say another size than it unpacks to. */
export function archiveOf(
  parts: Record<string, { content: Buffer | string; says?: number }>,
): Buffer {
  const local: Buffer[] = [];
  const central: Buffer[] = [];
  let offset = 0;
  for (const [name, { content, says }] of Object.entries(parts)) {
    const bytes = Buffer.from(content);
    const packed = deflateRawSync(bytes);
    const common = Buffer.alloc(26);
    common.writeUInt16LE(20, 0);
    common.writeUInt16LE(8, 4);
    common.writeUInt32LE(crc32Of(bytes), 10);
    common.writeUInt32LE(packed.length, 14);
    common.writeUInt32LE(says ?? bytes.length, 18);
    common.writeUInt16LE(name.length, 22);
    local.push(Buffer.from("504b0304", "hex"), common, Buffer.from(name), packed);
    const tail = Buffer.alloc(14);
    tail.writeUInt32LE(offset, 10);
    central.push(Buffer.from("504b01021400", "hex"), common, tail, Buffer.from(name));
    offset += 30 + name.length + packed.length;
  }
  const directory = Buffer.concat(central);
  const end = Buffer.alloc(22);
  end.write("PK\u0005\u0006", "latin1");
  end.writeUInt16LE(Object.keys(parts).length, 8);
  end.writeUInt16LE(Object.keys(parts).length, 10);
  end.writeUInt32LE(directory.length, 12);
  end.writeUInt32LE(offset, 16);
  return Buffer.concat([...local, directory, end]);
}

/** The checksum of archives (ISO 3309), bit by bit. */
function crc32Of(bytes: Buffer): number {
  let sum = 0xffffffff;
  for (const byte of bytes) {
    sum ^= byte;
    for (let bit = 0; bit < 8; bit++) sum = sum & 1 ? (sum >>> 1) ^ 0xedb88320 : sum >>> 1;
  }
  return (sum ^ 0xffffffff) >>> 0;
}
