import { openPage } from "../../io/browser.ts";

/** Shows the preview of an import in the browser, where there is one. Returns the file that it is in. */
export function openPreview(page: string): Promise<string> {
  return openPage(page);
}
