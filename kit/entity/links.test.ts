import { describe, expect, it } from "vitest";
import { address, localAddress, recordId, slug, withQuery } from "./links.ts";

describe("addresses", () => {
  it.each([
    ["B-07", "b-07"],
    ["Ñandú & más", "nandu-mas"],
    ["<script>", "script"],
    ["…", ""],
  ])("carry %s as %s", (title, expected) => {
    expect(slug(title)).toBe(expected);
  });

  it("begin with the number that finds the record", () => {
    expect([
      recordId("12-b-07"),
      recordId("12"),
      recordId("12b"),
      recordId("new"),
      recordId("1e3"),
    ]).toEqual([12, 12, undefined, undefined, undefined]);
  });

  it("lead back only within the application", () => {
    expect(
      [
        "/hives?x=1",
        "//evil.example",
        "/\\evil",
        "https://evil.example",
        "javascript:1",
        "/a b",
      ].map(localAddress),
    ).toEqual(["/hives?x=1", undefined, undefined, undefined, undefined, undefined]);
  });

  it("keep the rest of their query", () => {
    const query = new URLSearchParams("search=a&page=2");
    expect(withQuery("/hives", query, { page: undefined, sort: "code" })).toBe(
      "/hives?search=a&sort=code",
    );
    expect(withQuery("/hives", query, { page: undefined, search: undefined })).toBe("/hives");
    expect(address({ id: 7, displayTitle: "…", pagePath: "/hives" })).toBe("/hives/7");
  });

  it("of long titles are cut before anything else is done with them", () => {
    for (const text of ["9", "\u0301", "\r\n", "a.", "\ud83d\udc1d"])
      expect(slug(text.repeat(50_000)).length).toBeLessThan(200);
  });
});
