import { Hono } from "hono";
import { HTTPException } from "hono/http-exception";
import { trimTrailingSlash } from "hono/trailing-slash";
import { developmentRoutes } from "./development.tsx";
import { layout, type MenuEntry } from "./layout.tsx";
import { ProblemPage } from "./pages.tsx";
import { knownHosts, protections } from "./security.ts";
import { assetRoutes } from "./server.ts";

/** An application with everything but its pages: protections, layout, assets, pages for what goes wrong. */
export function application(menu: readonly MenuEntry[]): Hono {
  const app = new Hono();
  app.use(knownHosts(), ...protections(), trimTrailingSlash());
  assetRoutes(app);
  developmentRoutes(app);
  app.use(layout(menu));
  app.notFound((c) => {
    c.status(404);
    return c.render(
      <ProblemPage title="Page not found">There is nothing at this address.</ProblemPage>,
      { title: "Page not found" },
    );
  });
  app.onError((error, c) => {
    if (error instanceof HTTPException && error.status < 500) {
      c.status(error.status);
      const text =
        error.status === 413 ? "That was too much to save at once." : "This request was refused.";
      return c.render(<ProblemPage title="Refused">{text}</ProblemPage>, { title: "Refused" });
    }
    console.error(error);
    c.status(500);
    return c.render(
      <ProblemPage title="Something went wrong">
        Nothing was saved. The log of the server says more.
      </ProblemPage>,
      { title: "Something went wrong" },
    );
  });
  return app;
}
