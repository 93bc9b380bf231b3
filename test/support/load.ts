import { hiddenInputs, Visitor } from "./visitor.ts";

/** What a load came to. */
export interface LoadResult {
  requests: number;
  /** Answers by status, of what isn't expected: 200, and 409 for an edit that met another one. */
  unexpected: Map<string, number>;
  /** The codes of records that were acknowledged as saved, and not as deleted since. */
  saved: Set<string>;
}

/** So many people who list, search, read, add, change and delete hives, for so long; each does one thing at a time. */
export async function mixedLoad(
  base: string,
  {
    clients,
    milliseconds,
    prefix = "L",
    keepers = ["1", "2"],
  }: { clients: number; milliseconds: number; prefix?: string; keepers?: string[] },
): Promise<LoadResult> {
  const result: LoadResult = { requests: 0, unexpected: new Map(), saved: new Set() };
  const end = Date.now() + milliseconds;
  const note = (what: string, status: number, ...fine: number[]) => {
    result.requests++;
    if (status === 200 || fine.includes(status)) return;
    const key = `${what} ${status}`;
    result.unexpected.set(key, (result.unexpected.get(key) ?? 0) + 1);
  };
  await Promise.all(
    Array.from({ length: clients }, async (_, client) => {
      const visitor = new Visitor(base);
      const own: { code: string; path: string }[] = [];
      for (let turn = 0; Date.now() < end; turn++) {
        const kind = (turn * 7 + client) % 10;
        const mine = own[turn % Math.max(1, own.length)];
        if (kind < 3) note("list", (await visitor.get(`/hives?page=${1 + (turn % 3)}`)).status);
        else if (kind < 4) note("search", (await visitor.get(`/hives?search=${client}`)).status);
        else if (kind < 6 && mine) note("read", (await visitor.get(mine.path)).status);
        else if (kind < 7 && mine) {
          const page = `${mine.path}/edit`;
          const { html } = await visitor.get(page);
          const fields = { ...hiddenInputs(html), code: mine.code, keepers };
          note("edit", (await visitor.post(page, fields)).status, 409);
        } else if (kind === 7 && mine && own.length > 4) {
          const { html } = await visitor.get(`${mine.path}/delete`);
          const answer = await visitor.post(`${mine.path}/delete`, hiddenInputs(html));
          note("delete", answer.status);
          if (answer.path === "/hives") {
            result.saved.delete(mine.code);
            own.splice(own.indexOf(mine), 1);
          }
        } else {
          const code = `${prefix}-${client}-${turn}`;
          const answer = await visitor.post("/hives/new", { code, keepers });
          note("add", answer.status);
          if (answer.status === 200 && /^\/hives\/\d+/.test(answer.path)) {
            result.saved.add(code);
            own.push({ code, path: answer.path });
          }
        }
      }
    }),
  );
  return result;
}
