import { type Context, Hono } from "hono";
import { HTTPException } from "hono/http-exception";
import type { Kysely } from "kysely";
import { troubleOf } from "./database/current-dialect.ts";
import { developmentRoutes } from "./development.tsx";
import { layout, type MenuEntry } from "./layout.tsx";
import { logError } from "./log.ts";
import { ProblemPage } from "./pages.tsx";
import { knownHosts, plainAddress, protections } from "./security.ts";
import { assetRoutes } from "./server.ts";
import { endedTransaction, OutcomeUnknown } from "./transactions.ts";
import { troubles } from "./troubles.ts";

/** An application with everything but its pages: protections, layout, assets, error pages. */
export function application<Tables>(db: Kysely<Tables>, menu: readonly MenuEntry[]): Hono {
  const app = new Hono();
  app.use(knownHosts(), ...protections());
  assetRoutes(app);
  developmentRoutes(app);
  app.use(layout(db, menu));
  app.notFound((c) => {
    const plain = c.req.method === "GET" ? plainAddress(c) : undefined;
    if (plain) return c.redirect(plain, 301);
    return problem(c, 404, "Page not found", "There is nothing at this address.");
  });
  app.onError((error, c) => {
    if (error instanceof HTTPException && error.status < 500) {
      const refused = refusals[error.status] ?? "This request was refused.";
      return problem(c, error.status, "Refused", refused);
    }
    logError(error, `${c.req.method} ${c.req.path}`);
    if (error instanceof OutcomeUnknown) {
      const words =
        "The connection to the database was lost at the very end, so it is not known whether your change was saved. Look at the record before you send it again.";
      return problem(c, 500, "It is not known whether this was saved", words);
    }
    const trouble = troubleOf(error);
    const kept = whatWasKept(c, error);
    if (trouble) return problem(c, 503, "The database is not available", kept, troubles[trouble]);
    return problem(c, 500, "Something went wrong", kept, "The log of the server says more.");
  });
  return app;
}

const refusals: Readonly<Record<number, string>> = {
  400: "This request can’t be read.",
  413: "That was too much to save at once.",
};

/** What an error left behind, as far as it is known. */
function whatWasKept(c: Context, error: Error): string {
  if (c.req.method === "GET" || c.req.method === "HEAD") return "This page can’t be shown now.";
  return endedTransaction(error)
    ? "Nothing was saved."
    : "Look whether your change was saved before you send it again.";
}

function problem(c: Context, status: number, title: string, ...sentences: string[]) {
  c.status(status as 500);
  return c.render(<ProblemPage title={title}>{sentences.join(" ")}</ProblemPage>, { title });
}
