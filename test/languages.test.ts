import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { todayIn } from "../kit/formula/clock.ts";
import { rowsOf } from "./support/database.ts";
import { levadura, projectWith, running } from "./support/program.ts";
import { inputValue, textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Libro de colmenas, language: es, timezone: Europe/Madrid, database: sqlite}
entities:
  Hive:
    title: "{code}"
    fields:
      code: text 2..10, required, unique
      status: choice active | weak, required
      installed: date ..today, default today
      seen: datetime
      frames: integer, unit frames, placeholder "such as 10"
      removed: date, hint "The day it was taken away", required when status = 'weak' and frames > 5
    columns: [code, status, installed]
    sections:
      - Place: [code, installed]
      - State: [status, frames, removed, seen]
    rules:
      - There are no more than 20 frames: "= frames <= 20"
labels:
  es:
    Hive: Colmena | Colmenas
    Hive.code: Código
    Hive.status: Estado
    Hive.status.weak: Débil
    Hive.installed: Instalada
    Hive.removed: Retirada
    Hive.removed hint: El día en que se retiró
    Hive.frames: Cuadros
    Hive.frames unit: cuadros
    Hive.frames placeholder: por ejemplo, 10
    Hive section Place: Lugar
    Hive section State: Estado de la colmena
    Hive rule There are no more than 20 frames: No hay más de 20 cuadros
`;

describe("an application in Spanish", () => {
  it("speaks it on every page, with the labels of its model", async () => {
    const folder = projectWith(model);
    for (const command of ["prepare", "migrate", "build"])
      expect(await levadura([command], folder)).toMatchObject({ status: 0, err: "" });
    const program = await running(["serve"], folder);
    const visitor = new Visitor(program.address);
    const list = await visitor.get("/hives");
    expect(list.html).toContain('<html lang="es"');
    expect(textOf(list.html)).toMatch(/Colmenas Añadir colmena .*Todavía no hay colmenas\./);
    const form = await visitor.get("/hives/new");
    expect(textOf(form.html)).toMatch(/Añadir colmena Lugar Código \* .*Estado .*Débil.*Guardar/);
    expect(inputValue(form.html, "installed")).toMatch(/^\d\d\/\d\d\/\d{4}$/);
    for (const words of ["Lugar", "Estado de la colmena", "El día en que se retiró", "cuadros"])
      expect(textOf(form.html)).toContain(words);
    expect(form.html).toContain('placeholder="por ejemplo, 10"');
    const broken = await visitor.submit("/hives/new", {
      code: "B-01",
      status: "weak",
      installed: "1/5/2026",
      frames: "21",
    });
    expect(textOf(broken.html)).toContain("Retirada: Elige una fecha.");
    const report = await visitor.get("/hives?layout=report&by=codes&show=sum:frames+%2B");
    expect(textOf(report.html)).toMatch(/codes : hive no tiene ningún campo `codes` \(¿querías/);
    expect(textOf(report.html)).toContain("falta algo al final (aquí va un campo, un número");
    const filtered = await visitor.get("/hives?only=frames+%3D+code");
    expect(textOf(filtered.html)).toContain("un número no se puede comparar con un texto");
    const tooMany = await visitor.submit("/hives/new", {
      code: "B-01",
      status: "active",
      installed: "1/5/2026",
      frames: "21",
    });
    expect(textOf(tooMany.html)).toContain("Cuadros: No hay más de 20 cuadros");
    const refused = await visitor.submit("/hives/new", {
      code: "a",
      installed: "31/12/2999",
      seen: "mañana",
    });
    const said = textOf(refused.html);
    for (const sentence of [
      "No se ha guardado. Hay que revisar 4 campos:",
      "Código: Usa al menos 2 caracteres.",
      "Estado: Elige un valor.",
      "Instalada: Usa la fecha de hoy o una anterior.",
      "Usa una fecha y una hora, como 03/05/2026 09:30.",
    ])
      expect(said).toContain(sentence);
    const saved = await visitor.submit("/hives/new", {
      code: "B-07",
      status: "weak",
      installed: "3/5/2026",
      seen: "03/05/2026 9:30",
      frames: "5",
    });
    expect(textOf(saved.html)).toContain("Colmena, registro guardado: B-07");
    expect(textOf(saved.html)).toContain("Lugar Código B-07 Instalada 3 may 2026");
    expect(textOf(saved.html)).toContain("Estado de la colmena Estado Débil Cuadros 5 cuadros");
    expect(rowsOf(`${folder}/records.db`, "select code, installed, seen from hive")).toEqual([
      { code: "B-07", installed: "2026-05-03", seen: "2026-05-03T07:30:00Z" },
    ]);
    const again = await visitor.submit("/hives/new", { code: "b-07", status: "weak", frames: "5" });
    expect(textOf(again.html)).toContain("Ya hay otro registro con este valor (colmena).");
    const found = await visitor.get("/hives?search=d%C3%A9bil");
    expect(textOf(found.html)).toMatch(/1 colmena con «débil».*B-07/);
    for (const path of ["/", "/hives", "/hives/1", "/hives/1/edit", "/hives/1/delete", "/nada"]) {
      const words = textOf((await visitor.get(path)).html);
      expect(words, path).not.toMatch(/\b(the|Edit|Delete|Save|Search|There|Page|New|You)\b/);
    }
    expect(await program.stop()).toBe(0);
  });
});

it.each(["Pacific/Kiritimati", "Pacific/Niue"])("today is the day in %s", async (timezone) => {
  const today = todayIn(timezone);
  const folder = projectWith(`levadura: 1
app: {timezone: ${timezone}}
entities:
  Look:
    fields: {done: "date ..today, required", due: "date today.., required"}
    seed: {fixed: [{done: "${today}", due: "${today}"}]}
`);
  expect(await levadura(["check"], folder)).toMatchObject({ status: 0 });
  for (const command of ["prepare", "migrate", "seed"])
    expect(await levadura([command], folder)).toMatchObject({ status: 0 });
  expect(rowsOf(`${folder}/records.db`, "select done, due from look")).toContainEqual({
    done: today,
    due: today,
  });
});

it("Spanish says tú to everybody, on every page", () => {
  const folder = join(import.meta.dirname, "../kit/messages");
  // The other form of what messages ask people to do.
  const polite =
    /(?<!\p{L})(?:usted|ustedes|(?:Use|Envíe|Elija|Lea|Diga|Pida|Espere|Deje|Ponga|Ordene|Escriba|Pulse|Haga|Vaya|Revoque|Revise|Importe|Copie|Intente|Guarde|Abra|Quite|Cambie|Corrija|Compruebe|Introduzca|Marque|Vuelva|Léa|Cópie|Inténte|Impórte|Pída)(?:lo|la|los|las)?)(?!\p{L})/gu;
  const found = readdirSync(folder)
    .filter((name) => /(?:^|\.)es\.ts$/.test(name))
    .flatMap((name) => readFileSync(join(folder, name), "utf8").match(polite) ?? []);
  expect([...new Set(found)]).toEqual([]);
});
