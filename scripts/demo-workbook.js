// Makes the demo workbook: Hive Book as its keepers kept it before they had an application, as untidy
// as such workbooks are. Everything in it is made up. `npm run demo-workbook` writes demo/ again.
import { writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import { utils, write } from "@e965/xlsx";
import Papa from "papaparse";

const folder = join(dirname(dirname(fileURLToPath(import.meta.url))), "demo");

// The same rows every time: a small generator of numbers, by Park and Miller.
let state = 20_260_503;
const next = () => {
  state = (state * 48_271) % 2_147_483_647;
  return state / 2_147_483_647;
};
const whole = (low, high) => low + Math.floor(next() * (high - low + 1));
const pick = (list) => list[whole(0, list.length - 1)];
const day = (text) => Date.parse(`${text}T00:00:00Z`);
const iso = (time) => new Date(time).toISOString().slice(0, 10);
const dayBetween = (from, to) =>
  iso(day(from) + whole(0, (day(to) - day(from)) / 86_400_000) * 86_400_000);
const serial = (text, minutes = 0) => day(text) / 86_400_000 + 25_569 + minutes / 1440;

// Cells as a workbook has them: a number with the format that people see it in.
const date = (text, z = "yyyy-mm-dd") => ({ t: "n", v: serial(text), z });
const moment = (text, minutes) => ({ t: "n", v: serial(text, minutes), z: "yyyy-mm-dd hh:mm" });
const shown = (v, z) => ({ t: "n", v, z });
const failed = { t: "e", v: 42 };
const dayMonth = (text) => text.split("-").reverse().join("/");

const apiaries = [
  ["Linden Terrace", "Alderbrook", "2015-03-01", 412, "yes", "09:30"],
  ["Mill Meadow", "Alderbrook", "2016-04-17", 398, "no", "10:00"],
  ["Quarry Edge", "Stonewick", "2017-05-06", "640 m", "yes", "08:45"],
  ["Orchard Lane", "Fernhollow", "2018-03-25", 455, "yes", "09:15"],
  ["Heather Top", "Stonewick", "2019-06-22", "1.120 m", "x", "11:00"],
  ["River Bend", "Fernhollow", "2020-04-04", 371, "no", "09:00"],
  ["Sunny Slope", "Alderbrook", "2021-05-15", 520, "yes", "08:30"],
];
const spots = [
  "41.8214, 1.0127",
  "41.8069, 1.0443",
  "41.9127, 0.9302",
  "41.7485, 1.1236",
  `41° 55′ 48" N, 0° 53′ 24" E`,
  "41.7391, 1.1598",
  "41.8318, 0.9876",
];
const keepers = [
  ["Ana Ruiz", "2014-02-01", ""],
  ["Ben Ortega", "2014-02-01", ""],
  ["Clara Voss", "2015-05-12", "Ana Ruiz"],
  ["Dario Lund", "2016-03-30", "Ben Ortega"],
  ["Edda Kranz", "2017-06-18", "Ana Ruiz"],
  ["Felix Moreau", "2018-01-20", "Clara Voss"],
  ["Greta Holm", "2019-04-02", "Clara Voss"],
  ["Hugo Tarn", "2020-09-14", "Dario Lund"],
  ["Ines Calder", "2021-02-27", "Edda Kranz"],
  ["Jonas Wren", "2023-03-05", "Greta Holm"],
];
const names = keepers.map(([name]) => name);
const address = (name) => `${name.toLowerCase().replace(" ", ".")}@example.org`;

const hives = Array.from({ length: 34 }, (_, index) => {
  const [apiary, , opened] = apiaries[index % apiaries.length];
  return {
    code: `B-${String(index + 1).padStart(2, "0")}`,
    apiary,
    installed: dayBetween(opened, "2026-04-30"),
    status: pick(["active", "active", "active", "active", "weak", "queenless", "retired"]),
    keepers: [...new Set([pick(names), pick(names)])].slice(0, whole(1, 2)),
  };
});
const working = hives.filter(({ status }) => status !== "retired");

function apiarySheet() {
  const rows = apiaries.map(([name, town, opened, elevation, sunny, best], index) => [
    index === 1 ? `  ${name} ` : name,
    town,
    index % 3 === 2 ? dayMonth(opened) : date(opened, "dd/mm/yyyy"),
    elevation,
    sunny,
    { t: "n", v: (Number(best.slice(0, 2)) * 60 + Number(best.slice(3))) / 1440, z: "hh:mm" },
    index === 0
      ? "www.linden-terrace.example"
      : index === 3
        ? "https://orchard-lane.example/bees"
        : index === 5
          ? "-"
          : "",
    index === 4 ? "Gate is locked.\nAsk at the farm." : index === 2 ? "Mind the edge" : "",
    spots[index],
  ]);
  return {
    rows: [
      ["Hive Book: our apiaries"],
      [],
      [
        "Apiary",
        "Town",
        "Opened",
        "Elevation (m)",
        "Sunny",
        "Best time",
        "Website",
        "Remarks",
        "Coordinates",
      ],
      ...rows,
      [],
      ["Elevations are read off the map."],
    ],
    merges: ["A1:I1"],
    beside: { K4: "ask Ben for the key of Quarry Edge" },
  };
}

function keeperSheet() {
  const rows = keepers.map(([name, joined, mentor], index) => [
    index === 3 ? `${name}  ` : name,
    index === 6 ? "greta.holm at example.org" : address(name),
    index === 7 ? "n/a" : `+34 600 ${String(whole(100, 999))} ${String(whole(100, 999))}`,
    index % 4 === 1 ? dayMonth(joined) : date(joined, "dd/mm/yyyy"),
    mentor,
    index === 8 ? "N" : "Y",
  ]);
  // Entered twice, as happens.
  return { rows: [["Name", "E-mail", "Phone", "Joined", "Mentor", "Active"], ...rows, rows[4]] };
}

function hiveSheet() {
  const spellings = {
    active: ["active", "Active", "active "],
    weak: ["weak"],
    queenless: ["queenless", "QUEENLESS"],
    retired: ["retired"],
  };
  const rows = hives.map(({ code, apiary, installed, status, keepers: own }, index) => [
    code,
    index === 11 ? "Sunny Slpoe" : index === 20 ? apiary.toUpperCase() : apiary,
    pick(spellings[status]),
    own.join(index % 3 === 0 ? ", " : "; "),
    index % 5 === 3 ? dayMonth(installed) : date(installed),
    status === "retired" ? date(dayBetween(installed, "2026-05-02")) : "",
    pick(["#ffcc00", "#336699", "#FFF", "", ""]),
    index === 6 ? "Moved from Mill Meadow" : index === 15 ? "?" : "",
  ]);
  return {
    rows: [
      ["Hive", "", "", "Care", "", "", "Look", ""],
      ["Code", "Apiary", "Status", "Keepers", "Installed", "Removed", "Roof", "Notes"],
      ...rows,
    ],
    merges: ["A1:C1", "D1:F1", "G1:H1"],
  };
}

function queenSheet() {
  const rows = working
    .slice(0, 26)
    .map(({ code }, index) => [
      `Q-${String(index + 1).padStart(3, "0")}`,
      index === 9 ? "B-99" : code,
      index === 4 ? "spring 2024" : date(dayBetween("2022-04-15", "2025-08-20")),
      pick(["valley", "hill", "island", "unknown"]),
      pick(["yes", "yes", "no"]),
      whole(1, 5),
    ]);
  return { rows: [["Mark", "Hive", "Born", "Line", "Mated", "Temper (1-5)"], ...rows] };
}

function inspectionSheet() {
  const rows = [];
  const seen = new Set();
  while (rows.length < 130) {
    const { code, installed } = pick(working);
    const on = dayBetween(installed > "2025-03-01" ? installed : "2025-03-01", "2026-05-02");
    if (seen.has(code + on)) continue;
    seen.add(code + on);
    const degrees = whole(80, 310) / 10;
    rows.push([
      rows.length % 7 === 2 ? dayMonth(on) : date(on),
      code,
      pick(names),
      rows.length === 40 ? "many" : rows.length % 9 === 4 ? `${whole(2, 14)} frames` : whole(2, 14),
      pick(["yes", "yes", "no"]),
      rows.length % 3 === 0
        ? `${String(degrees).replace(".", ",")} °C`
        : rows.length === 77
          ? failed
          : degrees,
      rows.length % 8 === 0
        ? pick([
            "Calm, plenty of stores",
            "Swarm cells removed",
            "Fed a litre of syrup",
            "Needs a second box",
          ])
        : "",
    ]);
  }
  return {
    rows: [
      ["Inspections since spring 2025", "", "", "", "", "", ""],
      ["(frames are counted over both boxes)"],
      ["Date", "Hive", "Keeper", "Brood frames", "Queen seen", "Temperature", "Notes"],
      ...rows,
      ["Average", "", "", shown(7.9, "0.0"), "", "", ""],
    ],
  };
}

function treatmentSheet() {
  const remedies = {
    mites: ["oxalic acid", "formic acid", "thymol"],
    foulbrood: ["none"],
    moths: ["none"],
    other: ["lactic acid"],
  };
  const rows = Array.from({ length: 38 }, (_, index) => {
    const { code, installed } = pick(working);
    const against = pick(["mites", "mites", "mites", "moths", "other", "foulbrood"]);
    const remedy = pick(remedies[against]);
    const on = dayBetween(installed > "2025-06-01" ? installed : "2025-06-01", "2026-05-01");
    return [
      code,
      index % 6 === 1 ? `${dayMonth(on)} 9:30` : moment(on, whole(16, 38) * 30),
      against,
      index === 12 ? "oxalic  acid" : remedy,
      remedy === "none" ? "" : index % 4 === 0 ? `${whole(20, 50)} ml` : whole(20, 50),
      pick(names),
    ];
  });
  return { rows: [["Hive", "Begun", "Against", "Remedy", "Dose", "Keeper"], ...rows] };
}

function harvestSheet() {
  let total = 0;
  const rows = Array.from({ length: 64 }, (_, index) => {
    const { code, installed } = pick(hives);
    const weight = whole(30, 320) / 10;
    const price = pick([9.5, 11, 12.5, 14]);
    const line = index + 4;
    total += weight;
    return [
      code,
      date(dayBetween(installed > "2024-05-20" ? installed : "2024-05-20", "2026-05-02")),
      index % 10 === 5 ? `${String(weight).replace(".", ",")} kg` : shown(weight, '0.0 "kg"'),
      shown(whole(160, 195) / 1000, "0.0%"),
      shown(price, "#,##0.00 [$€-1]"),
      pick(["blossom", "forest", "heather", "mixed", "Blossom"]),
      {
        t: "n",
        v: Math.round(weight * price * 100) / 100,
        f: `C${line}*E${line}`,
        z: "#,##0.00 [$€-1]",
      },
    ];
  });
  return {
    rows: [
      ["Honey 2024 to 2026"],
      [],
      ["Hive", "Date", "Weight", "Moisture", "Price per kg", "Sort", "Amount"],
      ...rows,
      [],
      ["Total", "", shown(Math.round(total * 10) / 10, '0.0 "kg"'), "", "", "", ""],
    ],
    merges: ["A1:G1"],
  };
}

function equipmentRows() {
  const kinds = ["smoker", "suit", "extractor", "honey tank", "scales", "ladder"];
  return Array.from({ length: 22 }, (_, index) => {
    const bought = dayBetween("2018-01-15", "2025-11-30");
    const lent = index % 3 !== 0;
    return {
      Code: `E-${String(index + 1).padStart(3, "0")}`,
      Kind: index === 8 ? "Smoker" : kinds[index % kinds.length],
      "On loan to": lent ? pick(names) : "",
      "On loan since": lent ? dayMonth(dayBetween("2025-12-01", "2026-05-01")) : "",
      Bought: dayMonth(bought),
      Price: index === 13 ? "gift" : `${whole(12, 480)},${pick(["00", "50", "90"])} €`,
      Condition: pick(["new", "good", "good", "worn", "broken"]),
      Remarks: index === 5 ? "wheel is loose; a new one is ordered" : "",
    };
  });
}

function sheetOf({ rows, merges = [], beside = {} }) {
  const sheet = utils.aoa_to_sheet(rows, { sheetStubs: false });
  sheet["!merges"] = merges.map((range) => utils.decode_range(range));
  utils.sheet_add_aoa(sheet, [], {});
  for (const [at, text] of Object.entries(beside))
    utils.sheet_add_aoa(sheet, [[text]], { origin: at });
  for (const at of Object.keys(sheet))
    if (!at.startsWith("!") && sheet[at].v === "") delete sheet[at];
  return sheet;
}

const book = utils.book_new();
const sheets = {
  Apiaries: apiarySheet(),
  Keepers: keeperSheet(),
  Hives: hiveSheet(),
  Queens: queenSheet(),
  Inspections: inspectionSheet(),
  Treatments: treatmentSheet(),
  Harvests: harvestSheet(),
};
for (const [name, content] of Object.entries(sheets))
  utils.book_append_sheet(book, sheetOf(content), name);
const kept = [
  ["State", "Means"],
  ["active", "flies and breeds"],
  ["weak", "few bees"],
  ["queenless", "no queen seen twice"],
  ["retired", "no longer kept"],
];
utils.book_append_sheet(book, utils.aoa_to_sheet(kept), "Lists");
utils.book_set_sheet_visibility(book, "Lists", 1);
book.Props = { CreatedDate: new Date(day("2026-05-03")) };
writeFileSync(
  join(folder, "hive-book.xlsx"),
  write(book, { type: "buffer", bookType: "xlsx", compression: true }),
);

const equipment = equipmentRows();
const latin = Buffer.from(
  `${Papa.unparse(equipment, { delimiter: ";", newline: "\r\n" })}\r\n`.replaceAll("€", "\u0080"),
  "latin1",
);
writeFileSync(join(folder, "equipment.csv"), latin);

const keeperBook = utils.book_new();
utils.book_append_sheet(keeperBook, sheetOf(sheets.Keepers), "Keepers");
writeFileSync(
  join(folder, "keepers.ods"),
  write(keeperBook, { type: "buffer", bookType: "ods", compression: true }),
);
