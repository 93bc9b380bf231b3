import axe from "axe-core";
import type { Page } from "playwright-core";

/** What a page violates of WCAG 2.2 AA and good practice. */
export async function violationsOn(page: Page): Promise<string[]> {
  await page.evaluate(axe.source);
  return page.evaluate(async () => {
    const { violations } = await (globalThis as unknown as { axe: typeof axe }).axe.run(document, {
      runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"],
    });
    return violations.map(({ id, nodes }) => `${id}: ${nodes[0]?.html}`);
  });
}
