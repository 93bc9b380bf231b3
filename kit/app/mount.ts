import type { Hono } from "hono";
import { isAdministrator } from "../access/person.ts";
import { isOperator } from "../access/rights.ts";
import { Hidden, NotSignedIn, type Scope } from "../access/scope.ts";
import type { Needs, Route } from "../features/feature.ts";
import { limitedBody } from "../http/body-limit.ts";
import { noteWritten, readingScope } from "../store/written.ts";

/** What a request carries through the application. */
export interface Environment {
  Variables: { scope: Scope };
}

const mounted = new WeakMap<object, Route[]>();

/**
 * Makes routes reachable. The only place where a route comes into being: each is guarded by what it needs. Where there is a
 * replica, it answers those that read records.
 */
export function mount(app: Hono<Environment>, routes: readonly Route[]): void {
  mounted.set(app, [...routesOf(app), ...routes]);
  for (const { method, path, needs, bytes, records, answer } of routes) {
    const limit = limitedBody(bytes);
    const isReading = method === "GET" && (records ?? typeof needs === "object");
    app.on(method, path, async (c) => {
      const asked = c.get("scope");
      guard(asked, needs);
      const scope = isReading ? await readingScope(asked) : asked;
      let answered: Response | undefined;
      const refused = await limit(c, async () => {
        answered = await answer(c, scope);
      });
      if (method !== "GET") await noteWritten(scope);
      return refused ?? answered ?? c.notFound();
    });
  }
}

/**
 * Throws where the person may not go on: `NotSignedIn` for nobody, `Hidden` for what isn't there for the person, and
 * `Forbidden` for what the person sees but may not change.
 */
function guard(scope: Scope, needs: Needs): void {
  if (needs === "nothing") return;
  const { access, person } = scope;
  const isAction = typeof needs === "object";
  if (isAction && scope.may(needs.action, needs.entity)) return;
  if (needs === "person" && person) return;
  if (needs === "administrator" && isAdministrator(person)) return;
  if (needs === "operator" && isOperator(person)) return;
  if (access && !person) throw new NotSignedIn();
  if (isAction && scope.may("see", needs.entity)) scope.require(needs.action, needs.entity);
  throw new Hidden();
}

/** The routes that were mounted. */
export function routesOf(app: object): readonly Route[] {
  return mounted.get(app) ?? [];
}
