import { firstPage, type ListRequest } from "./request.ts";

/** What of a list's address changes on the way to its other pages; none where there is no such page. */
export interface PagerLinks {
  /** The number of the page; undefined where it was reached from the end. */
  page: number | undefined;
  /** How many pages there are; undefined where that isn't counted. */
  pages: number | undefined;
  first?: PlaceChange;
  previous?: PlaceChange;
  next?: PlaceChange;
  last?: PlaceChange;
}

export type PlaceChange = Readonly<Record<keyof typeof firstPage, string | undefined>>;

/** The pages of a list by their numbers. */
export function numberedPager(page: number, pages: number): PagerLinks {
  const to = (number: number) =>
    number >= 1 && number <= pages && number !== page
      ? { ...firstPage, page: number === 1 ? undefined : String(number) }
      : undefined;
  return {
    page,
    pages,
    ...links({ first: to(1), previous: to(page - 1), next: to(page + 1), last: to(pages) }),
  };
}

/** The pages of a list of many rows: the next one begins behind the last record of this one. */
export function farPager(
  request: ListRequest,
  { rows, more }: { rows: readonly Record<string, unknown>[]; more: boolean },
  { pages, number }: { pages: number | undefined; number: number | undefined },
): PagerLinks {
  const isBackward = request.after === undefined && request.before !== undefined;
  const isCounted = number !== undefined || request.query.has("page");
  const page = isCounted ? request.page : request.before === "end" ? pages : undefined;
  const isFirst = page === 1 || (isBackward && !more);
  const isLast = isBackward ? request.before === "end" : !more;
  const record = (row: Record<string, unknown> | undefined) => String(row?.id ?? "");
  const beside = (step: number) =>
    page === undefined ? undefined : String(Math.max(1, page + step));
  return {
    page: isFirst ? 1 : page,
    pages,
    ...links({
      first: isFirst ? undefined : firstPage,
      previous: isFirst
        ? undefined
        : page === 2
          ? firstPage
          : { page: beside(-1), after: undefined, before: record(rows[0]) },
      next: isLast ? undefined : { page: beside(1), after: record(rows.at(-1)), before: undefined },
      last: isLast ? undefined : { page: undefined, after: undefined, before: "end" },
    }),
  };
}

function links(found: Record<"first" | "previous" | "next" | "last", PlaceChange | undefined>) {
  return Object.fromEntries(Object.entries(found).filter(([, change]) => change)) as Partial<
    Record<"first" | "previous" | "next" | "last", PlaceChange>
  >;
}
