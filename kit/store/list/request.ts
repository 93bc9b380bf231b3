import { reportParameters } from "../../formula/report.ts";

/** What a list was asked for in its address: `?search=weak&sort=-installed,code&page=2&status=active`. */
export interface ListRequest {
  search: string;
  /** The names of columns, with commas between, each with `-` before it for descending; blank for the list's own order. */
  sort: string;
  /** The field by which rows are grouped; blank for none. */
  group: string;
  page: number;
  /** The record behind which the page begins; undefined where it begins behind a number of rows. */
  after: number | undefined;
  /** The record before which the page ends, or the end of the list. */
  before: number | "end" | undefined;
  /** Rows on a page. */
  size: number;
  /** Whether all rows are to be counted, however many there are. */
  countsAll: boolean;
  /** The whole query, from which filters are taken and links to other pages are made. */
  query: URLSearchParams;
}

/** How many rows a page can have; the first is usual. */
export const pageSizes = [25, 50, 100, 200] as const;

/** The most characters that a search looks for. */
export const longestSearch = 100;

/** What lists read from their addresses themselves: a filter of a field that is called so has a dot behind its name. */
export const ownParameters: ReadonlySet<string> = new Set([
  "search",
  "sort",
  "page",
  "after",
  "before",
  "count",
  "size",
  "totals",
  "columns",
  "group",
  "layout",
  "rows",
  "archived",
  "only",
  "where",
  "span",
  "on",
  "fields",
  "along",
  ...reportParameters,
]);

function recordNumber(text: string | null): number | undefined {
  return text !== null && /^\d{1,15}$/.test(text) ? Number(text) : undefined;
}

/** What an address says of a page, as it is on the way to the first one. */
export const firstPage = { page: undefined, after: undefined, before: undefined };

/** Whether a parameter only says of which page an address is. */
export function isPlace(name: string): boolean {
  return Object.hasOwn(firstPage, name);
}

/** Reads the wishes out of an address; whatever makes no sense is left out. */
export function listRequest(query: URLSearchParams): ListRequest {
  const page = Number(query.get("page"));
  const size = Number(query.get("size"));
  return {
    search: (query.get("search") ?? "").replaceAll("\0", "").trim().slice(0, longestSearch),
    sort: query.get("sort") ?? "",
    group: query.get("group") ?? "",
    page: Number.isSafeInteger(page) && page > 0 ? page : 1,
    after: recordNumber(query.get("after")),
    before: query.get("before") === "end" ? "end" : recordNumber(query.get("before")),
    countsAll: query.get("count") === "all",
    size: pageSizes.find((each) => each === size) ?? pageSizes[0],
    query,
  };
}
