import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { utils, write } from "@e965/xlsx";
import { describe, expect, it } from "vitest";
import { levadura, temporaryFolder } from "../support/program.ts";

type Cells = (string | number | null)[][];

/** A workbook of these sheets; merged cells are given as `B1:E1`. */
function workbook(sheets: Record<string, Cells>, merged: Record<string, string[]> = {}): Buffer {
  const book = utils.book_new();
  for (const [name, rows] of Object.entries(sheets)) {
    const sheet = utils.aoa_to_sheet(rows);
    sheet["!merges"] = (merged[name] ?? []).map((cells) => utils.decode_range(cells));
    utils.book_append_sheet(book, sheet, name);
  }
  return write(book, { type: "buffer", bookType: "xlsx" });
}

/** What is proposed for files, and what they become when they are imported so. */
async function imported(
  files: Record<string, string | Buffer>,
  options: string[] = [],
  folder = temporaryFolder(),
) {
  for (const [name, content] of Object.entries(files)) writeFileSync(join(folder, name), content);
  const names = Object.keys(files);
  const { out, err } = await levadura(["import", ...names, "--yes", "--json", ...options], folder);
  const { sheets = [] } = JSON.parse(out || "{}") as {
    sheets?: { entity: string; around: string[]; kept: number; unknown: string[] }[];
  };
  const data = (entity: string) =>
    readFileSync(join(folder, "data", `${entity}.csv`), "utf8")
      .trim()
      .split(/\r?\n/);
  const aside = () => {
    const place = join(folder, "data/set-aside");
    return readdirSync(place)
      .map((name) => readFileSync(join(place, name), "utf8"))
      .join("\n");
  };
  const model = () => readFileSync(join(folder, "model.yaml"), "utf8");
  return { folder, sheets, err: err + out, data, aside, model };
}

const months = ["Jan", "Feb", "Mar", "Apr", "May", "Jun"];

describe("columns of a series", () => {
  it("become rows of their own, that are part of what the other columns say", async () => {
    const { sheets, data, model } = await imported({
      "yield.csv":
        "Hive;Jan;Feb;Mar;Total\nB-01;1,5;2,0;;3,5\nB-02;;3,25;4,0;7,25\nB-03;2,0;2,0;1,0;5,0\nTotal;3,5;7,25;5,0;15,75\n",
    });
    expect(sheets.map(({ entity }) => entity)).toEqual(["Hive", "Yield"]);
    expect(data("Hive")).toEqual(["name", "B-01", "B-02", "B-03"]);
    expect(data("Yield")).toEqual([
      "hive,month,value",
      "B-01,Jan,1.5",
      "B-01,Feb,2",
      "B-02,Feb,3.25",
      "B-02,Mar,4",
      "B-03,Jan,2",
      "B-03,Feb,2",
      "B-03,Mar,1",
    ]);
    expect(model()).toContain("hive: part of Hive");
    expect(sheets[0]?.around.join()).toContain("Total is the sum of these");
  });

  it("refer to the records of another sheet, where that has them", async () => {
    const hives = ["B-01", "B-02", "B-03", "B-04"];
    const { sheets, data, model } = await imported({
      "year.xlsx": workbook({
        Hives: [["Code", "Strength"], ...hives.map((hive, at) => [hive, at + 3])],
        Yields: [
          ["Yields, kg"],
          [],
          ["Hive", ...months],
          ...hives.map((hive, at) => [hive, ...months.map((_, month) => at + month + 0.5)]),
        ],
      }),
    });
    expect(sheets.map(({ entity, kept }) => [entity, kept])).toEqual([
      ["Hive", 4],
      ["Yield", 24],
    ]);
    expect(model()).toContain("hive: one Hive, required");
    expect(data("Yield").slice(0, 3)).toEqual(["hive,month,value", "B-01,Jan,0.5", "B-01,Feb,1.5"]);
  });

  it("may have several values each, and be numbered", async () => {
    const { data } = await imported({
      "team.csv":
        "Keeper,Town,Phone,January hours,January pay,February hours,February pay\nAda,Loma,0600 111,10,100.50,12,120\nBo,Vega,0600 222,8,80,,\n",
      "swarms.csv": "Place,Hive 1,Swarms 1,Hive 2,Swarms 2\nLoma,B-01,2,B-02,1\nVega,B-05,3,,\n",
    });
    expect(data("TeamMonth")).toEqual([
      "keeper,month,hours,pay",
      "Ada,January,10,100.5",
      "Ada,February,12,120",
      "Bo,January,8,80",
    ]);
    expect(data("Swarm")).toEqual([
      "place,number,hive,swarms",
      "Loma,1,B-01,2",
      "Loma,2,B-02,1",
      "Vega,1,B-05,3",
    ]);
  });

  it("are read under headers of three levels", async () => {
    const { data, model } = await imported({
      "levels.xlsx": workbook(
        {
          Counts: [
            [null, "2024", null, null, null, "2025", null, null, null],
            [null, "Spring", null, "Autumn", null, "Spring", null, "Autumn", null],
            ["Hive", "Bees", "Brood", "Bees", "Brood", "Bees", "Brood", "Bees", "Brood"],
            ["B-01", 1, 2, 3, 4, 5, 6, 7, 8],
            ["B-02", 2, 3, 4, 5, 6, 7, 8, 9],
          ],
        },
        { Counts: ["B1:E1", "F1:I1", "B2:C2", "D2:E2", "F2:G2", "H2:I2"] },
      ),
    });
    expect(data("Count")).toEqual([
      "hive,year,spring_bees,spring_brood,autumn_bees,autumn_brood",
      "B-01,2024,1,2,3,4",
      "B-01,2025,5,6,7,8",
      "B-02,2024,2,3,4,5",
      "B-02,2025,6,7,8,9",
    ]);
    expect(model()).toContain("year: integer");
  });

  it("stay fields where they are lines of an address, or of several kinds, or on request", async () => {
    const { data } = await imported({
      "keepers.csv":
        "Keeper,Address 1,Address 2,Address 3\nAda,Mill,Lane 2,Loma\nBo,Well,Yard,Vega\n",
      "answers.csv":
        "Hive,Item 1,Item 2,Item 3\nB-01,4,north,2024-05-06\nB-02,5,south,2024-05-07\n",
    });
    expect(data("Keeper")[0]).toBe("name,address_1,address_2,address_3");
    expect(data("Answer")[0]).toBe("hive,item_1,item_2,item_3");
    const plain = await imported({ "yield.csv": "Hive,Jan,Feb,Mar\nB-01,1,2,3\n" }, [
      "--no-reshaping",
    ]);
    expect(plain.data("Yield")).toEqual(["hive,jan,feb,mar", "B-01,1,2,3"]);
  });

  it("may be days, weekdays or rounds; what Q1 is depends on whether there is a Q5", async () => {
    const { data, sheets } = await imported({
      "roster.csv":
        "Keeper,2026-05-01,2026-05-02,2026-05-03\nAda,early,late,\nBo,late,,early\nCy,,early,late\n",
      "stand.csv": "Hour;Monday;Tuesday;Friday\n09:00;Ana;Ben;\n10:00;;Ana;Cata\n11:00;Ben;;Ana\n",
      "scores.csv":
        "Team,Round 1,Round 2,Round 3,Sum,Rank\nNorth,10,12,9,31,1\nSouth,8,11,10,29,2\n",
      "survey.csv": "Id,Age,Q1,Q2,Q3,Q4,Q5\n1,34,5,4,3,2,5\n2,41,3,3,4,5,1\n",
    });
    expect(data("Roster").slice(0, 3)).toEqual([
      "keeper,date,value",
      "Ada,2026-05-01,early",
      "Ada,2026-05-02,late",
    ]);
    // A time is not what records are called by.
    expect(data("Stand").slice(0, 3)).toEqual([
      "hour,weekday,value",
      "09:00,Monday,Ana",
      "09:00,Tuesday,Ben",
    ]);
    expect(data("Score").slice(0, 2)).toEqual(["team,round,value", "North,1,10"]);
    expect(data("Team")[0]).toBe("name,rank");
    expect(data("SurveyQ").slice(-2)).toEqual(["2,4,5", "2,5,1"]);
    expect(sheets.every(({ kept }) => kept > 0)).toBe(true);
  });

  it("are found again next month, with the month that is new and without one that is gone", async () => {
    const folder = temporaryFolder();
    const lines = (titles: string, ...rows: string[]) => `${[titles, ...rows].join("\n")}\n`;
    await imported(
      { "yield.csv": lines("Hive,Jan,Feb,Mar", "B-01,1,2,3", "B-02,4,5,6") },
      ["--write-plan", "plan.yaml"],
      folder,
    );
    const { data, sheets } = await imported(
      { "yield.csv": lines("Hive,Feb,Mar,Apr", "B-01,2,3,7", "B-02,5,6,8") },
      ["--plan", "plan.yaml"],
      folder,
    );
    expect(data("Yield")).toEqual([
      "hive,month,value",
      "B-01,Feb,2",
      "B-01,Mar,3",
      "B-01,Apr,7",
      "B-02,Feb,5",
      "B-02,Mar,6",
      "B-02,Apr,8",
    ]);
    expect(sheets[1]?.unknown).toEqual([]);
  });
});

describe("sheets of one shape", () => {
  const season = (...rows: Cells): Cells => [["Hive", "Kg"], ...rows];

  it("become one entity, with what tells them as a field; later sheets are taken along", async () => {
    const folder = temporaryFolder();
    const first = await imported(
      {
        "yields.xlsx": workbook({
          "Yield 2024": season(["B-01", 10], ["B-02", 12], ["Total", 22]),
          "Yield 2025": season(["B-01", 11], ["B-02", "many"]),
        }),
      },
      [],
      folder,
    );
    expect(first.data("Yield")).toEqual([
      "hive,kg,year",
      "B-01,10,2024",
      "B-02,12,2024",
      "B-01,11,2025",
      "B-02,,2025",
    ]);
    expect(first.aside()).toMatch(/Yield 2025,B3,many/);
    expect(first.aside()).toMatch(/Yield 2024,row 4,"?Total,22/);
    const again = await imported(
      {
        "yields.xlsx": workbook({
          "Yield 2024": season(["B-01", 10]),
          "Yield 2026": season(["B-07", 3]),
          "Yield 2025": season(["B-01", 11]),
        }),
      },
      ["--write-plan", "plan.yaml"],
    );
    const plan = readFileSync(join(again.folder, "plan.yaml"), "utf8").replace(
      /sheets: \[.*\], title/,
      'sheets: ["Yield 2025"], title',
    );
    writeFileSync(join(again.folder, "plan.yaml"), plan);
    const names = { "yields.xlsx": readFileSync(join(again.folder, "yields.xlsx")) };
    const { data } = await imported(names, ["--plan", "plan.yaml"], again.folder);
    expect(data("Yield")).toEqual(["hive,kg,year", "B-01,10,2024", "B-01,11,2025", "B-07,3,2026"]);
    // A year on its own is told by the names in the plan.
    const single = workbook({ "Yield 2025": season(["B-09", 8]) });
    await imported({ "yields.xlsx": single }, ["--plan", "plan.yaml"], again.folder);
    expect(data("Yield")).toContain("B-09,8,2025");
  });

  it("may be files, each written in a way of its own", async () => {
    const { data } = await imported({
      "north.csv": "Hive,Kg,Jars\nB-01,12,30\nB-02,14,33\n",
      "south.csv": "Hive;Kg;Jars\nC-01;11;25\n",
    });
    expect(data("North")).toEqual([
      "hive,kg,jars,file",
      "B-01,12,30,north",
      "B-02,14,33,north",
      "C-01,11,25,south",
    ]);
  });

  it("may be the sheets of one name in several workbooks, which next month's joins", async () => {
    const hives = (rows: (string | number)[][]) =>
      workbook({ Hives: [["Code", "Kg", "Jars"], ...rows] });
    const folder = temporaryFolder();
    const { data } = await imported(
      {
        "2024-01.xlsx": hives([
          ["B-01", 12, 30],
          ["B-02", 14, 33],
        ]),
        "2024-02.xlsx": hives([["B-01", 11, 25]]),
      },
      [],
      folder,
    );
    expect(data("Hive")).toEqual([
      "code,kg,jars,month",
      "B-01,12,30,2024-01",
      "B-02,14,33,2024-01",
      "B-01,11,25,2024-02",
    ]);
    writeFileSync(join(folder, "2024-03.xlsx"), hives([["B-03", 10, 20]]));
    const files = ["2024-02.xlsx", "2024-03.xlsx"];
    const again = await levadura(
      ["import", ...files, "--plan", "imports/2024-01.yaml", "--yes"],
      folder,
    );
    expect(again.status).toBe(0);
    expect(readFileSync(join(folder, "data/Hive.csv"), "utf8")).toContain("B-03,10,20,2024-03");
  });

  it("are of several entities where two columns are all that they share", async () => {
    const { data } = await imported({
      "book.xlsx": workbook({
        Keepers: [
          ["Name", "Town"],
          ["Ada", "Loma"],
          ["Bo", "Vega"],
        ],
        Apiaries: [
          ["Name", "Town"],
          ["North", "Loma"],
          ["South", "Vega"],
        ],
      }),
    });
    expect(data("Keeper")).toEqual(["name,town", "Ada,Loma", "Bo,Vega"]);
    expect(data("Apiary")).toEqual(["name,town", "North,Loma", "South,Vega"]);
  });
});

describe("several tables on a sheet", () => {
  const stacked =
    "Apiaries\nName,Elevation,Opened\nNorth,400,2020-01-03\nSouth,120,2021-04-05\n\nKeepers\nKeeper,Joined\nAda,2019-02-01\nBo,2020-03-04\n\nchecked by Ada\n";

  it("are entities of their own, one below another", async () => {
    const { data, aside } = await imported({ "book.csv": stacked });
    expect(data("Apiary")).toEqual([
      "name,elevation,opened",
      "North,400,2020-01-03",
      "South,120,2021-04-05",
    ]);
    expect(data("Keeper")).toEqual(["name,joined", "Ada,2019-02-01", "Bo,2020-03-04"]);
    expect(aside()).toContain("checked by Ada");
  });

  it("may be side by side, with what is in none of them set aside", async () => {
    const { data, aside } = await imported({
      "day.csv":
        "for the board,,,,\n,,,,\nDate,Kg,,Name,Joined\n2020-01-02,4,,Ada,2018-01-01\n2020-01-03,5,,Bo,2019-01-01\n2020-01-04,6,,,\n",
    });
    expect(data("Day")).toEqual(["date,kg", "2020-01-02,4", "2020-01-03,5", "2020-01-04,6"]);
    expect(data("Day2")).toEqual(["name,joined", "Ada,2018-01-01", "Bo,2019-01-01"]);
    expect(aside()).toContain("day.csv,,A1,for the board");
  });

  it("are one where the same titles come beside each other, and none where a table has settings", async () => {
    const { data } = await imported({
      "twice.csv":
        "Name,Joined,,Name,Joined\nAda,2018-01-01,,Di,2019-01-01\nBo,2018-02-01,,Ed,2019-02-01\nCy,2018-03-01,,,\n",
      "settings.csv": "Setting,Value\nLanguage,en\nLimit,20\nOpened,2020-01-02\n",
    });
    expect(data("Twice").map((line) => line.split(",")[0])).toEqual(
      "name Ada Bo Cy Di Ed".split(" "),
    );
    expect(data("Setting")[0]).toBe("name,value");
  });

  it("are found where they are next month", async () => {
    const folder = temporaryFolder();
    await imported({ "book.csv": stacked }, ["--write-plan", "plan.yaml"], folder);
    const grown = stacked
      .replace("\n\nKeepers", "\nEast,80,2022-02-02\nWest,90,2022-02-03\n\nKeepers")
      .replace("\n\nchecked", "\nCy,2024-05-06\n\nchecked");
    const { data } = await imported({ "book.csv": grown }, ["--plan", "plan.yaml"], folder);
    expect(
      data("Apiary")
        .slice(1)
        .map((line) => line.split(",")[0]),
    ).toEqual("North South East West".split(" "));
    expect(data("Keeper")).toEqual([
      "name,joined",
      "Ada,2019-02-01",
      "Bo,2020-03-04",
      "Cy,2024-05-06",
    ]);
  });

  it("are one where a blank row or column goes through it, or the header comes again", async () => {
    const { sheets, data } = await imported({
      "hives.csv":
        "Code,Kg,,Town\nB-01,4,,Loma\nB-02,5,,Vega\n,,,\nB-03,6,,Loma\nCode,Kg,,Town\nB-04,7,,Vega\n",
    });
    expect(sheets.length).toBe(1);
    expect(data("Hive")).toEqual([
      "code,kg,town",
      "B-01,4,Loma",
      "B-02,5,Vega",
      "B-03,6,Loma",
      "B-04,7,Vega",
    ]);
  });
});

describe("a sheet that is turned", () => {
  const card = (hives: string, installed: string, frames: string, queens: string) =>
    `Hives of the year\n\n,${hives}\nInstalled,${installed}\nFrames,${frames}\nQueen,${queens}\n`;
  const turned = card(
    "Hive A,Hive B,Hive C,Hive D",
    "2020-01-02,2021-03-04,2021-03-05,soon",
    "8,9,10,7",
    "Ada,Bea,Cleo,Dora",
  );

  it("has its records in columns; cells keep their addresses, and new columns are taken", async () => {
    const folder = temporaryFolder();
    await imported({ "card.csv": turned }, ["--write-plan", "plan.yaml"], folder);
    const { data, aside } = await imported({ "card.csv": turned }, ["--plan", "plan.yaml"], folder);
    expect(data("Card")).toEqual([
      "name,installed,frames,queen",
      "Hive A,2020-01-02,8,Ada",
      "Hive B,2021-03-04,9,Bea",
      "Hive C,2021-03-05,10,Cleo",
      "Hive D,,7,Dora",
    ]);
    expect(aside()).toContain("card.csv,,E4,soon");
    expect(aside()).toContain("card.csv,,A1,Hives of the year");
    const wider = card("Hive A,Hive E", "2020-01-02,2022-05-05", "8,11", "Ada,Eva");
    const later = await imported({ "card.csv": wider }, ["--plan", "plan.yaml"], folder);
    expect(later.data("Card")).toContain("Hive E,2022-05-05,11,Eva");
    const widest = card(
      "Hive A,Hive B,Hive C,Hive D,Hive E",
      "2020-01-02,2021-03-04,2021-03-05,2021-03-06,2022-05-05",
      "8,9,10,7,11",
      "Ada,Bea,Cleo,Dora,Eva",
    );
    const last = await imported({ "card.csv": widest }, ["--plan", "plan.yaml"], folder);
    expect(last.data("Card").length).toBe(6);
  });

  it("may be titles and one value each", async () => {
    const { data } = await imported({
      "card.csv":
        "Association:,Bee Friends\nFounded:,1998-04-05\nMembers:,120\nEmail:,office@bees.example\n",
    });
    expect(data("Card")).toEqual([
      "association,founded,members,email",
      "Bee Friends,1998-04-05,120,office@bees.example",
    ]);
  });
});

it("columns without a header are named by what is in them", async () => {
  const { data } = await imported({
    "pasted.csv": "Ada Bell,2020-01-02,ada@bees.example,4\nBo Dale,2021-02-03,bo@bees.example,5\n",
  });
  expect(data("Pasted")[0]).toBe("name,date,email,column_d");
});

describe("sheets whose names say nothing", () => {
  const called = async (name: string, text: string) => {
    const { sheets } = await imported({ [name]: text });
    return sheets.map(({ entity }) => entity);
  };

  it("are called by what they list: people, companies, places, or what the first column numbers", async () => {
    expect(await called("data.csv", "First name,Town\nAda,Loma\nBo,Vega\n")).toEqual(["Person"]);
    expect(
      await called("export (2).csv", "Name;Ort;Betrag\nAnna Moser;Au;3,5\nUwe Lang;Egg;4,25\n"),
    ).toEqual(["Person"]);
    expect(
      await called(
        "datos.csv",
        "Nombre,Pueblo,Cuota\nMieles del Sur S.L.,Loma,20\nCera y Sol S.A.,Vega,25\nColmenas Ruiz S.L.,Loma,30\n",
      ),
    ).toEqual(["Empresa"]);
    expect(
      await called("data.csv", "Site,Lat,Lon\nNorth ridge,42.1,-8.3\nMill,42.2,-8.1\n"),
    ).toEqual(["Place"]);
    expect(await called("book1.csv", "Hive no,Frames\nB-1,8\nB-2,9\n")).toEqual(["Hive"]);
    expect(await called("book1.csv", "Code,Frames\nB-1,8\nB-2,9\n")).toEqual(["Book1"]);
  });

  it("keep names that say something, whatever they list", async () => {
    expect(await called("keepers.csv", "First name,Town\nAda,Loma\nBo,Vega\n")).toEqual(["Keeper"]);
  });

  it("name a column without a header by the people or companies in it", async () => {
    const { data } = await imported({
      "visits.csv":
        "2024-01-02,Ada Bell,Wax & Sons Ltd\n2024-01-03,Tom Reed,Hive Works Inc.\n2024-01-05,Clara Fox,Wax & Sons Ltd\n",
    });
    expect(data("Visit")[0]).toBe("date,person,company");
  });
});

describe("values that are written once", () => {
  const loans =
    "Loan no,Date,Keeper,Item,Deposit\n17,2026-01-02,Ada,smoker,10\n,,,veil,15\n18,2026-01-04,Bo,suit,20\n19,2026-01-05,Ada,extractor,50\n,,,sieve,15\n,,,jar,2\n20,,Cy,smoker,10\n21,2026-01-10,Bo,veil,15\n,,,suit,20\n";

  it("are those of the blank cells below them, too, up to the next one", async () => {
    const folder = temporaryFolder();
    const { data, sheets } = await imported({ "loans.csv": loans }, [], folder);
    expect(sheets[0]?.around.join()).toContain(
      "blank cells of Loan no, Date, Keeper have the value above",
    );
    expect(data("Loan")).toEqual([
      "number,date,keeper",
      "17,2026-01-02,Ada",
      "18,2026-01-04,Bo",
      "19,2026-01-05,Ada",
      "20,,Cy",
      "21,2026-01-10,Bo",
    ]);
    expect(data("LoanLine").map((line) => line.split(",").slice(0, 2).join(" "))).toEqual(
      "loan item|17 smoker|17 veil|18 suit|19 extractor|19 sieve|19 jar|20 smoker|21 veil|21 suit".split(
        "|",
      ),
    );
    const plan = readFileSync(join(folder, "imports/loans.yaml"), "utf8");
    expect(plan).toContain("repeat: [Loan no, Date, Keeper]");
  });

  it("are not taken for those of others where one column alone has blanks", async () => {
    const { data, sheets } = await imported({
      "dues.csv": "Ref,Payer,Amount\nR-1,Ada,10\n,Bo,20\nR-2,Cy,30\n,Di,10\n,Ed,5\n",
    });
    expect(sheets[0]?.around.join()).toContain("`repeat: [Ref]` in the plan");
    expect(data("Due").slice(1, 3)).toEqual(["R-1,Ada,10", ",Bo,20"]);
  });
});
