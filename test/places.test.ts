import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { readPlace } from "../kit/formula/coordinates.ts";
import { rowsOf } from "./support/database.ts";
import { kinds, projectOn } from "./support/kinds.ts";
import {
  levadura,
  projectWith,
  type Running,
  running,
  temporaryFolder,
} from "./support/program.ts";
import { textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Stations, database: sqlite}
users:
  groups: {bees: Bees, guests: Guests}
  rights: {bees: everything, guests: [see, export]}
entities:
  Station:
    title: "{name}"
    rights: {bees: everything, guests: [see, export, hide spot]}
    fields:
      name: text, required, unique
      spot: place
    seed:
      fixed:
        - {name: Alto & <b>, spot: "41.5, 2.25"}
        - {name: Bajo, spot: "-33.45, -70.66"}
        - {name: Nowhere}
`;

describe.each(kinds)("places over $kind", (kind) => {
  const project = projectOn(kind, model);
  let server: Running;
  let bee: Visitor;
  let guest: Visitor;

  beforeAll(async () => {
    server = await running(["rise"], project.folder);
    [bee, guest] = [
      await Visitor.of(server.address, "bees"),
      await Visitor.of(server.address, "guests"),
    ];
  }, 120_000);
  afterAll(async () => {
    await server.stop();
    await project.remove();
  });

  it("are typed as people write them, and kept as numbers of degrees", async () => {
    for (const [typed, kept] of [
      ["41.38790, 2.1699", "41.3879,2.1699"],
      ["41,3879; 2,1699", "41.3879,2.1699"],
      ["geo:-1,-0.0000001", "-1,0"],
      [`41° 23' 16" N, 2° 10′ 12″ W`, "41.387778,-2.17"],
    ]) {
      const saved = await bee.submit("/stations/1/edit", {
        name: "Alto & <b>",
        spot: typed as string,
      });
      expect([typed, saved.status]).toEqual([typed, 200]);
      expect(await project.rows("select spot from station where id = 1")).toEqual([{ spot: kept }]);
    }
    for (const wrong of ["91, 2", "41.5", "41, 181", "<script>", "1,2,3", `41° 61' N, 2° E`]) {
      const refused = await bee.submit("/stations/1/edit", { name: "Alto & <b>", spot: wrong });
      expect([wrong, textOf(refused.html)]).toEqual([
        wrong,
        expect.stringContaining("Use latitude and longitude"),
      ]);
    }
    const { html } = await bee.get("/stations");
    expect(html).toContain('<a href="geo:41.387778,-2.17">41.387778, -2.17</a>');
  });

  it("are on a map, each leading to its record, with what has no place beside it", async () => {
    const { html } = await bee.get("/stations?layout=map");
    const [, map = ""] = /<div class="map">(.*?)<\/svg>/s.exec(html) ?? [];
    const points = [...map.matchAll(/<a href="(\/stations\/\d[^"]*)" aria-label="([^"]*)"/g)];
    expect(points.map(([, , label]) => label)).toEqual(["Alto &amp; &lt;b&gt;", "Bajo"]);
    expect(map).not.toContain("<b>");
    expect(map.match(/<path class="land" d="([^"]*)"/)?.[1]?.length).toBeGreaterThan(1000);
    for (const [, x, y] of map.matchAll(/<circle class="point" cx="([\d.-]+)" cy="([\d.-]+)"/g)) {
      expect(Number(x)).toBeGreaterThan(0);
      expect(Number(x)).toBeLessThan(960);
      expect(Number(y)).toBeGreaterThan(0);
      expect(Number(y)).toBeLessThan(560);
    }
    expect(textOf(html)).toContain("Without a place: 1 station.");
    const one = await bee.get("/stations?layout=map&search=Bajo");
    expect(one.html).toContain('<circle class="point" cx="480.0" cy="250.0"');
    expect(textOf(one.html)).toContain("2 km");
    expect((await bee.get("/stations?layout=map&search=Nowhere")).html).not.toContain("<circle");
    const hidden = await guest.get("/stations?layout=map");
    expect([hidden.status, hidden.html.includes("<circle")]).toEqual([200, false]);
  });

  it("are exported as GeoJSON by those who see them", async () => {
    const { html, headers } = await bee.get("/stations/export/geojson?sort=name");
    expect(headers.get("content-type")).toBe("application/geo+json");
    const { type, features } = JSON.parse(html);
    expect(type).toBe("FeatureCollection");
    expect(features).toHaveLength(3);
    expect(features[1]).toEqual({
      type: "Feature",
      id: 2,
      geometry: { type: "Point", coordinates: [-70.66, -33.45] },
      properties: expect.objectContaining({ title: "Bajo", Name: "Bajo" }),
    });
    expect(features[2].geometry).toBeNull();
    expect((await guest.get("/stations/export/geojson")).status).toBe(404);
    expect((await guest.get("/stations/export")).html).not.toContain("geojson");
    expect((await bee.get("/stations/export")).html).toContain("geojson");
  });
});

describe("the type `place`", () => {
  it("reads what it wrote, and nothing that isn't on the earth", () => {
    for (let at = 0; at < 2000; at++) {
      const latitude = ((at * 7919) % 180_000) / 1000 - 90;
      const longitude = ((at * 104_729) % 360_000) / 1000 - 180;
      const kept = readPlace(`${latitude.toFixed(3)}, ${longitude.toFixed(3)}`) ?? "";
      expect(kept.split(",").map(Number)).toEqual([
        Number(latitude.toFixed(3)),
        Number(longitude.toFixed(3)),
      ]);
      expect(readPlace(kept)).toBe(kept);
      expect(readPlace(kept.replace(",", ", "))).toBe(kept);
    }
    for (const odd of ["", "1", "a,b", "90.1,0", "0,180.5", `1,${"1".repeat(90)}`, "1;2;3"])
      expect([odd, readPlace(odd)]).toEqual([odd, undefined]);
  });

  it("is filled with sample places and with those of a file, and drawn where the model says so", async () => {
    const seeded = model.replace(
      / {4}seed:[\s\S]*/,
      "    layouts: [map spot, table]\n    seed: 40\n",
    );
    const folder = projectWith(seeded);
    for (const command of ["prepare", "migrate", "seed"])
      expect(await levadura([command], folder)).toMatchObject({ status: 0, err: "" });
    const wrong = projectWith(seeded.replace("map spot", "map name"));
    expect((await levadura(["check"], wrong)).err).toContain("a map goes by a `place`");
    const odd = projectWith(model.replace('"41.5, 2.25"', "here"));
    expect((await levadura(["check"], odd)).err).toContain(
      "is not a place such as 41.3879, 2.1699",
    );
  });

  it("is found in a sheet, and nothing that only looks like it", async () => {
    const rows = Array.from({ length: 8 }, (_, at) => [
      `S-${at}`,
      at === 3 ? '"41° 23′ 16″ N, 2° 10′ 12″ E"' : `"41.${3879 + at}, -2.${1699 + 3 * at}"`,
      `"4${at},${at}5; 1${at},3"`,
      `9317${at} 446${at}12`,
    ]);
    const folder = temporaryFolder();
    writeFileSync(
      join(folder, "stations.csv"),
      ["Code,Coordinates,Sizes,Telephone", ...rows.map((row) => row.join(","))].join("\n"),
    );
    expect(await levadura(["import", "stations.csv", "--yes"], folder)).toMatchObject({
      status: 0,
    });
    const written = readFileSync(join(folder, "model.yaml"), "utf8");
    expect(written).toMatch(/coordinates: place, required/);
    expect(written).toMatch(/sizes: text/);
    expect(written).toMatch(/telephone: phone/);
    for (const command of ["prepare", "migrate", "seed"])
      expect(await levadura([command], folder)).toMatchObject({ status: 0 });
    expect(
      rowsOf(join(folder, "records.db"), "select coordinates from station order by id limit 4"),
    ).toEqual([
      { coordinates: "41.3879,-2.1699" },
      { coordinates: "41.388,-2.1702" },
      { coordinates: "41.3881,-2.1705" },
      { coordinates: "41.387778,2.17" },
    ]);
  });
});
