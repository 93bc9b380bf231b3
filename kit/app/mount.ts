import type { Hono } from "hono";
import type { Scope } from "../access/scope.ts";
import type { Route } from "../features/feature.ts";

/** What a request carries through the application. */
export interface Environment {
  Variables: { scope: Scope };
}

const mounted = new WeakMap<object, Route[]>();

/**
 * Makes routes reachable. The only place where a route comes into being: each is guarded by the action that it needs,
 * and throws `Forbidden` where the person may not do it.
 */
export function mount(app: Hono<Environment>, routes: readonly Route[]): void {
  mounted.set(app, [...routesOf(app), ...routes]);
  for (const { method, path, needs, answer } of routes) {
    app.on(method, path, (c) => {
      const scope = c.get("scope");
      if (needs !== "nothing") scope.require(needs.action, needs.entity);
      return answer(c, scope);
    });
  }
}

/** The routes that were mounted. */
export function routesOf(app: object): readonly Route[] {
  return mounted.get(app) ?? [];
}
