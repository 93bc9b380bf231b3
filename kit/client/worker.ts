// Keeps the pages that somebody saw, so that they can be seen without a connection, and says so on them. Nothing is
// changed without one: only what is asked for by GET is kept, and with a connection every page comes from the server.

/** What of the scope of a service worker is used here: the types of pages have none. */
interface WorkerScope extends EventTarget {
  registration: object;
  clients: { claim(): Promise<void> };
  skipWaiting(): Promise<void>;
}
interface Waiting extends Event {
  waitUntil(done: Promise<unknown>): void;
}
interface Asking extends Waiting {
  request: Request;
  respondWith(answer: Promise<Response>): void;
}

const scope = self as unknown as WorkerScope;

/** The most pages that are kept, the files that they need apart. */
const most = 80;
const files = "files";
/** Where the pages of somebody are kept, by their number; nobody's under a blank one. */
const pagesOf = (person: string) => `pages:${person}`;

scope.addEventListener("install", (event) => (event as Waiting).waitUntil(scope.skipWaiting()));
scope.addEventListener("activate", (event) => (event as Waiting).waitUntil(scope.clients.claim()));
scope.addEventListener("fetch", (event) => {
  const asking = event as Asking;
  const { request } = asking;
  const { pathname, origin } = new URL(request.url);
  if (request.method !== "GET" || origin !== location.origin) return;
  if (request.mode === "navigate") asking.respondWith(page(asking));
  else if (pathname.startsWith("/-/assets/")) asking.respondWith(file(asking));
});

/** A page from the server; without a connection, as it was last seen. */
async function page(event: Asking): Promise<Response> {
  const { request } = event;
  try {
    const answer = await fetch(request);
    // It is shown without waiting for that.
    if (answer.ok && (answer.headers.get("content-type") ?? "").startsWith("text/html"))
      event.waitUntil(keep(request, answer.clone()));
    return answer;
  } catch (error) {
    const kept = await caches.match(request, { ignoreVary: true });
    if (kept) return marked(kept);
    const start = await caches.match("/", { ignoreVary: true });
    if (start && new URL(request.url).pathname !== "/") return Response.redirect("/", 302);
    throw error;
  }
}

/** Keeps a page for whoever sees it. Those of anybody else who used the application here are forgotten. */
async function keep(request: Request, answer: Response): Promise<void> {
  const [, person] = /<html[^>]*\sdata-person="(\d*)"/.exec(await answer.clone().text()) ?? [];
  if (person === undefined) return;
  const own = pagesOf(person);
  for (const name of await caches.keys()) {
    if (name.startsWith(pagesOf("")) && name !== own) await caches.delete(name);
  }
  const pages = await caches.open(own);
  await pages.put(request, answer);
  const known = await pages.keys();
  for (const old of known.slice(0, Math.max(0, known.length - most))) await pages.delete(old);
}

async function file(event: Asking): Promise<Response> {
  const { request } = event;
  try {
    const answer = await fetch(request);
    if (answer.ok) {
      const copy = answer.clone();
      event.waitUntil(caches.open(files).then((kept) => kept.put(request, copy)));
    }
    return answer;
  } catch (error) {
    const kept = await caches.match(request);
    if (kept) return kept;
    throw error;
  }
}

/** A page that was kept, on which it is said when it was seen. */
async function marked(kept: Response): Promise<Response> {
  const html = await kept.text();
  const [, language = "en"] = /<html[^>]*\slang="([^"]*)"/.exec(html) ?? [];
  const [, words = ""] = /<html[^>]*\sdata-offline="([^"]*)"/.exec(html) ?? [];
  const seen = new Date(kept.headers.get("date") ?? Date.now());
  const when = new Intl.DateTimeFormat(language, {
    dateStyle: "medium",
    timeStyle: "short",
  }).format(seen);
  const note = `<div class="alert alert-warning" role="status">${words.replace("{when}", when)}</div>`;
  const headers = new Headers(kept.headers);
  headers.delete("content-encoding");
  headers.delete("content-length");
  return new Response(
    html.replace(/<main[^>]*>/, (main) => main + note),
    {
      status: kept.status,
      headers,
    },
  );
}
