import { existsSync, readdirSync, rmSync, utimesSync } from "node:fs";
import { connect } from "node:net";
import { join } from "node:path";
import sharp from "sharp";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { bucketStandIn } from "../kit/files/bucket-stand-in.ts";
import { kinds, projectOn, type TestProject } from "./support/kinds.ts";
import { filesBelow, modelWithFiles as model, named, picture } from "./support/pictures.ts";
import { levadura, type Running, running, temporaryFolder } from "./support/program.ts";
import { hiddenInputs, textOf, Visitor } from "./support/visitor.ts";

interface Held {
  key: string;
  name: string;
  type: string;
  bytes: number;
  width?: number;
}

describe.each(kinds)("files over $kind", (kind) => {
  let project: TestProject;
  let app: Running;
  let office: Visitor;
  let guest: Visitor;
  let jpeg: Buffer;
  // Where files are while they arrive; no other application has this one.
  const arriving = temporaryFolder(true);

  beforeAll(async () => {
    project = projectOn(kind, model);
    app = await running(["rise"], project.folder, { TMPDIR: arriving });
    office = await Visitor.of(app.address, "office");
    guest = await Visitor.of(app.address, "guests");
    jpeg = await picture("jpeg");
  });
  afterAll(async () => {
    await app.stop();
    await project.remove();
    rmSync(arriving, { recursive: true, force: true });
  });

  const arrivingNow = () =>
    readdirSync(arriving).filter((name) => name.startsWith("levadura-upload-"));
  const stored = () => filesBelow(join(project.folder, "files"));
  const heldIn = async (code: string, field: string): Promise<Held[]> => {
    const [row] = await project.rows<Record<string, string>>(
      `select ${field} as held from hive where code = '${code}'`,
    );
    return row?.held ? (JSON.parse(row.held) as Held[]) : [];
  };
  const idOf = async (code: string): Promise<number> => {
    const [row] = await project.rows<{ id: number }>(`select id from hive where code = '${code}'`);
    return row?.id ?? 0;
  };
  /** Sends the form for a new hive. */
  const add = async (fields: Record<string, string | Blob | (string | Blob)[]>, who = office) => {
    const form = await who.get("/hives/new");
    return who.upload("/hives/new", { ...hiddenInputs(form.html), ...fields });
  };
  /** Sends the form of a hive, with the files in it that are there unless others are given. */
  const change = async (
    code: string,
    fields: Record<string, string | Blob | (string | Blob)[]>,
    who = office,
  ) => {
    const path = `/hives/${await idOf(code)}/edit`;
    const form = await who.get(path);
    const kept: Record<string, string[]> = {};
    for (const [, name = "", key = ""] of form.html.matchAll(
      /type="checkbox" id="keep-[^"]*" name="(\w+)" value="([0-9a-f]{32})" checked/g,
    )) {
      kept[name] = [...(kept[name] ?? []), key];
    }
    return who.upload(path, { ...hiddenInputs(form.html), code, ...kept, ...fields });
  };

  it("are taken with the form, and served to those who see the record", async () => {
    const saved = await add({
      code: "B-01",
      photo: named(jpeg, "flight path.jpg"),
      secret: named("nobody's business\n", "secret.txt", "text/plain"),
    });
    expect(textOf(saved.html)).toContain("Hive saved");
    const [photo] = await heldIn("B-01", "photo");
    expect(photo).toMatchObject({
      name: "flight path.jpg",
      type: "image/jpeg",
      bytes: jpeg.length,
      width: 900,
      height: 600,
    });
    const page = await office.get("/hives/1-b-01");
    const [, small = ""] = /<img src="([^"]+)" alt="flight path.jpg"/.exec(page.html) ?? [];
    const thumb = await office.bytes(small);
    expect(thumb.headers.get("content-type")).toBe("image/webp");
    expect(await sharp(thumb.content).metadata()).toMatchObject({ width: 320, height: 213 });
    const whole = await guest.bytes(`/hives/1/files/photo/${photo?.key}`);
    expect(whole.status).toBe(200);
    expect(whole.content.equals(jpeg)).toBe(true);
    expect(Object.fromEntries(whole.headers)).toMatchObject({
      "content-type": "image/jpeg",
      "x-content-type-options": "nosniff",
      "cache-control": expect.stringMatching(/private|no-store/),
      "content-security-policy": expect.stringContaining("sandbox"),
    });
    // What is hidden from somebody isn't there for them, under any address.
    const [secret] = await heldIn("B-01", "secret");
    expect((await office.bytes(`/hives/1/files/secret/${secret?.key}`)).status).toBe(200);
    for (const path of [
      `/hives/1/files/secret/${secret?.key}`,
      `/hives/1/files/photo/${secret?.key}`,
      `/hives/1/files/code/${secret?.key}`,
      `/hives/1/files/__proto__/${secret?.key}`,
      `/-/sent-files/${secret?.key}`,
      `/hives/1/files/photo/..%2F..%2Frecords.db`,
    ]) {
      expect((await guest.bytes(path)).status, path).toBe(404);
    }
    await add({ code: "B-99", photo: named(jpeg, "a.jpg") });
    const [hidden] = await heldIn("B-99", "photo");
    expect((await guest.bytes(`/hives/2/files/photo/${hidden?.key}`)).status).toBe(404);
    expect(
      (await new Visitor(app.address).bytes(`/hives/1/files/photo/${photo?.key}`)).status,
    ).not.toBe(200);
    // The list shows cards with pictures.
    const cards = await guest.get("/hives?layout=cards");
    expect(cards.html).toContain(`/hives/1-b-01/files/photo/${photo?.key}?as=small`);
  });

  it("are refused, with the reason, where they are not what they should be", async () => {
    const before = stored();
    const png = await picture("png");
    const cases: [string, File, RegExp][] = [
      [
        "photo",
        named(
          "<svg xmlns='http://www.w3.org/2000/svg'><script>1</script></svg>",
          "a.svg",
          "image/svg+xml",
        ),
        /“a.svg” is not a picture/,
      ],
      ["photo", named("<script>alert(1)</script>", "a.jpg"), /is not a picture/],
      [
        "photo",
        named(png.subarray(0, png.length / 2), "half.png", "image/png"),
        /is not a picture/,
      ],
      ["photo", named(png, "a.jpg"), /is something else than its name says/],
      ["photo", named("", "empty.jpg"), /is empty/],
      ["photo", named(Buffer.alloc(300_001, jpeg), "large.jpg"), /is larger than 300 kB/],
      [
        "papers",
        named("not a pdf", "a.pdf", "application/pdf"),
        /is something else than its name says/,
      ],
      ["papers", named("only one", "a.txt", "text/plain"), /2 files at least/],
    ];
    for (const [field, file, why] of cases) {
      const answer = await add({ code: "X", [field]: file });
      expect(answer.status, file.name).toBe(422);
      expect(textOf(answer.html)).toMatch(why);
    }
    const many = Array.from({ length: 4 }, (_, at) => named(jpeg, `${at}.jpg`));
    expect(textOf((await add({ code: "X", shots: many })).html)).toContain("3 files at most.");
    expect(await project.rows("select id from hive where code = 'X'")).toEqual([]);
    // Only what was taken and waits for its record is there: one text, and four pictures with two smaller ones each.
    expect(stored().length - before.length).toBe(1 + 4 * 3);
    expect(arrivingNow()).toEqual([]);
  });

  it("are refused where they are bombs or floods", async () => {
    const bomb = await sharp({
      create: { width: 9000, height: 9000, channels: 3, background: "#fff" },
    })
      .png({ compressionLevel: 9 })
      .toBuffer();
    expect(bomb.length).toBeLessThan(300_000);
    expect(textOf((await add({ code: "X", photo: named(bomb, "bomb.png") })).html)).toContain(
      "is not a picture",
    );
    const flood = Array.from({ length: 200 }, (_, at) => named("x", `${at}.txt`, "text/plain"));
    expect((await add({ code: "X", papers: flood })).status).toBe(413);
  });

  it("stay in a form that has something else wrong in it", async () => {
    const refused = await add({ code: "", photo: named(jpeg, "waits.jpg") });
    expect(refused.status).toBe(422);
    const [, key = ""] = /name="photo" value="([0-9a-f]{32})" checked/.exec(refused.html) ?? [];
    const preview = await office.bytes(`/-/sent-files/${key}?as=small`);
    expect(preview.headers.get("content-type")).toBe("image/webp");
    // Others neither see it nor use it.
    const other = await Visitor.of(app.address, "administrators");
    expect((await other.bytes(`/-/sent-files/${key}`)).status).toBe(404);
    const stolen = await add({ code: "B-50", photo: key }, other);
    expect(textOf(stolen.html)).toContain("A file isn't there any more");
    const saved = await office.upload("/hives/new", {
      ...hiddenInputs(refused.html),
      code: "B-02",
      photo: key,
    });
    expect(textOf(saved.html)).toContain("Hive saved");
    expect(await heldIn("B-02", "photo")).toMatchObject([{ key, name: "waits.jpg" }]);
    // Nor does a key that somebody knows give another record the file.
    const again = await add({ code: "B-51", photo: key });
    expect(textOf(again.html)).toContain("A file isn't there any more");
  });

  it("are replaced, added and taken out when the form is saved", async () => {
    const [first] = await heldIn("B-02", "photo");
    const png = await picture("png", "#345678");
    await change("B-02", { photo: [first?.key ?? "", named(png, "new.png", "image/png")] });
    expect(await heldIn("B-02", "photo")).toMatchObject([{ name: "new.png", type: "image/png" }]);
    const shots = [named(jpeg, "1.jpg"), named(jpeg, "2.jpg")];
    await change("B-02", { shots });
    const held = await heldIn("B-02", "shots");
    expect(held.map(({ name }) => name)).toEqual(["1.jpg", "2.jpg"]);
    await change("B-02", { shots: [held[1]?.key ?? "", named(png, "3.png", "image/png")] });
    expect((await heldIn("B-02", "shots")).map(({ name }) => name)).toEqual(["2.jpg", "3.png"]);
    await change("B-02", { photo: "", shots: "" });
    expect(await heldIn("B-02", "photo")).toEqual([]);
    const log = await office.get(`/hives/${await idOf("B-02")}/history`);
    expect(textOf(log.html)).toMatch(/Shots:.*2.jpg; 3.png/);
  });

  it("are called by names that do nothing", async () => {
    const names = [
      "../../etc/passwd",
      "a\u202egpj.txt",
      `"><img src=x onerror=alert(1)>.txt`,
      "=1+1.txt",
      "x".repeat(400),
      "...",
      "naïve été.txt",
      "a\r\nset-cookie: b=c.txt",
    ];
    for (const [at, name] of names.entries()) {
      const code = `N-${at}`;
      const answer = await add({
        code,
        papers: [named("one\n", name, "text/html"), named("<b>two</b>", name, "text/html")],
      });
      expect(textOf(answer.html), name).toContain("Hive saved");
      const [file] = await heldIn(code, "papers");
      expect(file?.name).not.toMatch(/[/\\\u202e\r\n]/);
      expect([...(file?.name ?? "")].length).toBeLessThanOrEqual(120);
      const id = await idOf(code);
      const page = await office.get(`/hives/${id}`);
      expect(page.html).not.toContain("<img src=x");
      const served = await office.bytes(`/hives/${id}/files/papers/${file?.key}`);
      expect(served.headers.get("content-type")).toBe("text/plain; charset=utf-8");
      expect(served.headers.get("set-cookie")).toBeNull();
    }
    expect(stored().every((name) => /^[0-9a-f]{32}(\.small|\.large)?$/.test(name))).toBe(true);
    const csv = await office.get("/hives/export/csv?columns=code,papers&search=N-3");
    expect(csv.html).toContain("'=1+1.txt");
  });

  it("are saved once, however often the form is sent", async () => {
    const form = await office.get("/hives/new");
    const fields = { ...hiddenInputs(form.html), code: "B-03", photo: named(jpeg, "once.jpg") };
    const answers = await Promise.all([
      office.upload("/hives/new", fields),
      office.upload("/hives/new", fields),
    ]);
    for (const { html } of answers) expect(textOf(html)).toContain("Hive saved");
    expect(await project.rows("select id from hive where code = 'B-03'")).toHaveLength(1);
  });

  it("leave nothing behind where the connection breaks off", async () => {
    const before = stored();
    const form = await office.get("/hives/new");
    const cookie = office.cookie;
    const { hostname, port, host } = new URL(app.address);
    for (const cut of [1000, 200_000]) {
      const head = `--x\r\ncontent-disposition: form-data; name="_token"\r\n\r\n${hiddenInputs(form.html)._token}\r\n--x\r\ncontent-disposition: form-data; name="shots"; filename="whole.jpg"\r\n\r\n`;
      const middle = `\r\n--x\r\ncontent-disposition: form-data; name="photo"; filename="cut.jpg"\r\n\r\n`;
      const socket = connect(Number(port), hostname);
      await new Promise<void>((resolve) => socket.once("connect", resolve));
      socket.write(
        `POST /hives/new HTTP/1.1\r\nhost: ${host}\r\norigin: ${app.address}\r\ncookie: ${cookie}\r\ncontent-type: multipart/form-data; boundary=x\r\ncontent-length: 280000\r\n\r\n`,
      );
      socket.write(head);
      socket.write(jpeg);
      socket.write(middle);
      socket.write(Buffer.alloc(cut, 1));
      await expect.poll(arrivingNow).toHaveLength(1);
      socket.destroy();
    }
    await expect.poll(stored, { timeout: 10_000 }).toEqual(before);
    await expect.poll(arrivingNow).toEqual([]);
  });

  it("are listed, and moved aside once nothing uses them", async () => {
    const listed = await levadura(["files", "--json"], project.folder);
    const { fields, unused } = JSON.parse(listed.out);
    expect(fields[0]).toMatchObject({ field: "Hive.photo", files: 3 });
    expect(unused.files).toBe(0);
    // A day later.
    const old = new Date(Date.now() - 2 * 86_400_000);
    const store = join(project.folder, "files");
    for (const name of stored()) utimesSync(join(store, name.slice(0, 2), name), old, old);
    await project.rows("delete from levadura_upload");
    const before = stored();
    const asked = await levadura(["files", "--remove-unused"], project.folder);
    expect([asked.status, asked.err]).toEqual([
      2,
      expect.stringContaining("would be moved into kept/"),
    ]);
    expect(stored()).toEqual(before);
    const removed = await levadura(["files", "--remove-unused", "--yes"], project.folder);
    expect(removed.out).toMatch(/Moved \d+ files of .*B {2}into kept\/files-\d{14}/);
    expect(stored().length).toBeLessThan(before.length);
    // What records have is all still there.
    const [photo] = await heldIn("B-01", "photo");
    expect((await office.bytes(`/hives/1/files/photo/${photo?.key}`)).content.equals(jpeg)).toBe(
      true,
    );
    const again = JSON.parse((await levadura(["files", "--json"], project.folder)).out);
    expect(again).toMatchObject({ unused: { files: 0 }, missing: 0 });
    const kept = JSON.parse((await levadura(["kept", "--json"], project.folder)).out).kept;
    const { name } = kept.find((each: { files?: number }) => each.files);
    expect((await levadura(["restore", name], project.folder)).out).toMatch(/Put back \d+ files/);
    expect(stored()).toEqual(before);
  });

  it("are copied where a record is duplicated, so that each has its own", async () => {
    const photo = named(jpeg, "own front.jpg");
    await add({ code: "B-40", photo, secret: named("mine\n", "secret.txt", "text/plain") });
    const [id, [original], [hidden]] = [
      await idOf("B-40"),
      await heldIn("B-40", "photo"),
      await heldIn("B-40", "secret"),
    ];
    const { html } = await office.get(`/hives/${id}/duplicate`);
    expect(html).toMatch(new RegExp(`name="photo" value="${original?.key}" checked`));
    expect(html).toContain(`src="/hives/${id}/files/photo/${original?.key}?as=small"`);
    const form = { ...hiddenInputs(html), photo: original?.key ?? "", secret: hidden?.key ?? "" };
    for (const code of ["B-40", "B-41", "B-41"])
      await office.upload("/hives/new", { ...form, code });
    const [copy] = await heldIn("B-41", "photo");
    expect(copy).toMatchObject({ name: "own front.jpg", bytes: original?.bytes, width: 900 });
    expect(copy?.key).not.toBe(original?.key);
    await office.submit(`/hives/${id}/delete`, { _parts: "0" });
    const kept = await office.bytes(`/hives/${await idOf("B-41")}/files/photo/${copy?.key}`);
    expect(kept.content.equals(jpeg)).toBe(true);
    // Neither by its number nor by its key is one had that somebody doesn't see.
    await add({ code: "B-99", photo: named(jpeg, "hidden.jpg") });
    const [theirs] = await heldIn("B-99", "photo");
    const forged = { ...form, _copy: String(await idOf("B-99")), photo: theirs?.key ?? "" };
    const other = await guest.upload("/hives/new", { ...forged, code: "B-42" });
    expect([other.status, await idOf("B-42")]).toEqual([403, 0]);
    const unseen = await office.upload("/hives/new", {
      ...form,
      photo: theirs?.key ?? "",
      code: "B-43",
    });
    expect([unseen.status, await idOf("B-43")]).toEqual([422, 0]);
  });
});

it("files can be in a bucket, and are away where it is", async () => {
  const folder = temporaryFolder();
  const bucket = await bucketStandIn({ folder, key: "hive", secret: "s/e+c" });
  const project = projectOn({ kind: "sqlite", server: undefined }, model);
  const url = `s3://hive:${encodeURIComponent("s/e+c")}@127.0.0.1:${bucket.port}/bees/hives?secure=no`;
  const app = await running(["rise"], project.folder, { FILES_URL: url });
  const office = await Visitor.of(app.address, "office");
  const jpeg = await picture("jpeg");
  const form = await office.get("/hives/new");
  const fields = { ...hiddenInputs(form.html), code: "B-01", photo: named(jpeg, "a.jpg") };
  expect(textOf((await office.upload("/hives/new", fields)).html)).toContain("Hive saved");
  expect(existsSync(join(project.folder, "files"))).toBe(false);
  expect(filesBelow(folder)).toHaveLength(3);
  const [row] = await project.rows<{ photo: string }>("select photo from hive");
  const [{ key } = { key: "" }] = JSON.parse(row?.photo ?? "[]") as Held[];
  expect((await office.bytes(`/hives/1/files/photo/${key}`)).content.equals(jpeg)).toBe(true);
  const listed = await levadura(["files"], project.folder, { env: { FILES_URL: url } });
  expect(listed.out).toMatch(/Hive.photo +1 file/);
  expect(listed.out).not.toContain("s/e");
  await bucket.close();
  const away = await office.bytes(`/hives/1/files/photo/${key}`);
  expect(away.status).toBe(503);
  const next = await office.get("/hives/new");
  const lost = { ...hiddenInputs(next.html), code: "B-02", photo: named(jpeg, "a.jpg") };
  const refused = await office.upload("/hives/new", lost);
  expect([refused.status, textOf(refused.html)]).toEqual([
    503,
    expect.stringContaining("The files can't be reached"),
  ]);
  expect(await project.rows("select id from hive where code = 'B-02'")).toEqual([]);
  const failed = await levadura(["files"], project.folder, { env: { FILES_URL: url } });
  expect([failed.status, failed.err]).toEqual([3, expect.not.stringContaining("s%2Fe")]);
  const wrong = await levadura(["files"], project.folder, { env: { FILES_URL: "ftp://bees" } });
  expect([wrong.status, wrong.err]).toEqual([
    2,
    expect.stringContaining("FILES_URL is no address"),
  ]);
  await app.stop();
  rmSync(folder, { recursive: true, force: true });
  await project.remove();
});
