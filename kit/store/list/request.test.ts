import { expect, it } from "vitest";
import { listRequest } from "./request.ts";

it("addresses of lists are read leniently", () => {
  const read = (query: string) => {
    const { search, sort, page } = listRequest(new URLSearchParams(query));
    return { search, sort, page };
  };
  expect(read("search=+a++b+&sort=-code&page=3")).toEqual({
    search: "a  b",
    sort: "-code",
    page: 3,
  });
  for (const page of ["0", "-1", "1.5", "x", "1e99"]) expect(read(`page=${page}`).page).toBe(1);
  expect(read(`search=${"x".repeat(999)}%00`).search).toHaveLength(100);
});
