/** What came back for a request. */
export interface Answer {
  status: number;
  /** The address of the page after redirections. */
  path: string;
  html: string;
  headers: Headers;
}

/** A person with a browser that knows no JavaScript: keeps cookies, follows redirections, sends forms. */
export class Visitor {
  readonly #cookies = new Map<string, string>();
  /** The addresses of the last request, redirections included. */
  trail: string[] = [];

  constructor(readonly base: string) {}

  /** Somebody who signed in as the sample of a group, under `rise`. */
  static async of(base: string, group: string): Promise<Visitor> {
    const visitor = new Visitor(base);
    await visitor.post("/-/sample", { group });
    return visitor;
  }

  get(path: string, headers: Record<string, string> = {}): Promise<Answer> {
    return this.#send(path, { method: "GET", headers });
  }

  /** Sends a form as the page's own browser would; several values of one name as a list. */
  post(path: string, fields: Record<string, string | string[]>): Promise<Answer> {
    const body = new URLSearchParams();
    for (const [name, value] of Object.entries(fields)) {
      for (const one of [value].flat()) body.append(name, one);
    }
    return this.#send(path, { method: "POST", body, headers: { origin: this.base } });
  }

  /** Sends a form with files in it, as the page's own browser would; several values of one name as a list. */
  upload(path: string, fields: Record<string, string | Blob | (string | Blob)[]>): Promise<Answer> {
    const body = new FormData();
    for (const [name, value] of Object.entries(fields)) {
      for (const one of [value].flat()) body.append(name, one);
    }
    return this.#send(path, { method: "POST", body, headers: { origin: this.base } });
  }

  /** Sends JSON, as a script of the page would. */
  json(path: string, content: unknown): Promise<Answer> {
    const headers = { origin: this.base, "content-type": "application/json" };
    const body = typeof content === "string" ? content : JSON.stringify(content);
    return this.#send(path, { method: "POST", body, headers });
  }

  /** Opens a page and sends its form as it is, with some fields typed over. */
  async submit(page: string, fields: Record<string, string | string[]> = {}): Promise<Answer> {
    const { html } = await this.get(page);
    return this.post(page, { ...hiddenInputs(html), ...fields });
  }

  /** The cookies, as a request carries them. */
  get cookie(): string {
    return [...this.#cookies].map(([name, value]) => `${name}=${value}`).join("; ");
  }

  /** The bytes behind an address, and how they are served. */
  async bytes(path: string): Promise<{ status: number; headers: Headers; content: Buffer }> {
    const answer = await fetch(this.base + path, {
      headers: { cookie: this.cookie },
      redirect: "manual",
    });
    return {
      status: answer.status,
      headers: answer.headers,
      content: Buffer.from(await answer.arrayBuffer()),
    };
  }

  /** The same person, with the same cookies, at another address. */
  at(base: string): Visitor {
    const visitor = new Visitor(base);
    for (const [name, value] of this.#cookies) visitor.#cookies.set(name, value);
    return visitor;
  }

  /** Keeps the cookies of an answer. */
  take(headers: Headers): void {
    for (const line of headers.getSetCookie()) {
      const [pair = ""] = line.split(";");
      const [name = "", value = ""] = pair.split("=");
      if (value === "") this.#cookies.delete(name);
      else this.#cookies.set(name, value);
    }
  }

  /** Goes one step: to where a page leads, or by sending its form with a name in it. */
  async hop(path: string, name: string): Promise<string> {
    const ask = async (to: string, init: RequestInit) => {
      const headers = { cookie: this.cookie };
      const answer = await fetch(this.base + to, { ...init, headers, redirect: "manual" });
      this.take(answer.headers);
      return answer;
    };
    const page = await ask(path, { method: "GET" });
    const next = page.headers.get("location");
    if (next) return next;
    const html = await page.text();
    const [, action = path] = /<form[^>]*action="([^"]*)"/.exec(html) ?? [];
    const body = new URLSearchParams({ ...hiddenInputs(html), login: name, password: "any" });
    const sent = await ask(new URL(action, this.base).pathname, { method: "POST", body });
    return sent.headers.get("location") ?? path;
  }

  async #send(path: string, init: RequestInit): Promise<Answer> {
    let next = path;
    let request = init;
    this.trail = [];
    for (let hop = 0; hop < 6; hop++) {
      this.trail.push(next);
      const { cookie } = this;
      const headers = { ...(request.headers as Record<string, string>), ...(cookie && { cookie }) };
      const response = await fetch(this.base + next, { ...request, headers, redirect: "manual" });
      this.take(response.headers);
      const location = response.headers.get("location");
      const html = await response.text();
      if (!location)
        return { status: response.status, path: next, html, headers: response.headers };
      const target = new URL(location, this.base);
      next = target.pathname + target.search;
      request = { method: "GET", ...(init.method === "GET" && { headers: init.headers ?? {} }) };
    }
    throw new Error(`too many redirections from ${path}`);
  }
}

/** What a page's form carries without being seen, besides its rows of parts. */
export function hiddenInputs(html: string): Record<string, string> {
  const tags = html.match(/<input[^>]*\btype="hidden"[^>]*>/g) ?? [];
  const value = (tag: string, name: string) =>
    new RegExp(`\\b${name}="([^"]*)"`).exec(tag)?.[1] ?? "";
  const all = tags.map((tag) => [value(tag, "name"), value(tag, "value")] as const);
  return Object.fromEntries(all.filter(([name]) => !/\.(new)?\d+\./.test(name)));
}

/** The values of the form in a page, as a browser would send them without changes; not those of files. */
export function formOf(page: string): Record<string, string | string[]> {
  const html = page.replace(/<template.*?<\/template>/gs, "");
  const fields: Record<string, string | string[]> = {};
  for (const [tag] of html.matchAll(/<input[^>]*>/g)) {
    const [type, name, value] = ["type", "name", "value"].map(
      (key) => new RegExp(`\\b${key}="([^"]*)"`).exec(tag)?.[1] ?? "",
    ) as [string, string, string];
    if (type === "file" || name === "" || name === "words") continue;
    if (["radio", "checkbox"].includes(type) && !/ checked/.test(tag)) continue;
    fields[name] = type === "checkbox" ? [...[fields[name] ?? []].flat(), value] : plain(value);
  }
  for (const [, name = "", text = ""] of html.matchAll(
    /<textarea[^>]*\bname="([\w.]+)"[^>]*>\n?([^<]*)<\/textarea>/g,
  )) {
    fields[name] = plain(text);
  }
  for (const [, name = "", options = ""] of html.matchAll(
    /<select[^>]*\bname="([^"]+)"[^>]*>(.*?)<\/select>/gs,
  )) {
    fields[name] = /value="([^"]*)" selected/.exec(options)?.[1] ?? "";
  }
  return fields;
}

function plain(text: string): string {
  const signs: Record<string, string> = { quot: '"', "#39": "'", lt: "<", gt: ">", amp: "&" };
  return text.replace(/&(quot|#39|lt|gt|amp);/g, (all, sign: string) => signs[sign] ?? all);
}

/** The value of a hidden or other input in a page. */
export function inputValue(html: string, name: string): string | undefined {
  const tag = new RegExp(`<input[^>]*\\bname="${name}"[^>]*>`).exec(html)?.[0];
  return tag && /\bvalue="([^"]*)"/.exec(tag)?.[1];
}

/** A page as a person reads it: without tags, spaces folded. */
export function textOf(html: string): string {
  return html
    .replace(/<head>.*?<\/head>/s, " ")
    .replace(/<[^>]+>/g, " ")
    .replaceAll("&nbsp;", " ")
    .replaceAll("&#39;", "'")
    .replaceAll("&quot;", '"')
    .replaceAll("&lt;", "<")
    .replaceAll("&gt;", ">")
    .replaceAll("&amp;", "&")
    .replace(/\s+/g, " ")
    .replaceAll(" ,", ",");
}
