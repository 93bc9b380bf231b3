import { describe, expect, it } from "vitest";
import { withOwnLinks } from "./own-links.ts";

const within = (href: string) =>
  href.startsWith("/hives") ? href.replace("/hives", "/-/embedded/hives") : undefined;
const led = (html: string) => withOwnLinks(html, within);

describe("the links of an embedded page", () => {
  it.each([
    ['<a href="/hives?a=1&amp;b=2">x</a>', '<a href="/-/embedded/hives?a=1&amp;b=2">x</a>'],
    ['<a href="/hives?q=$&amp;">x</a>', '<a href="/-/embedded/hives?q=$&amp;">x</a>'],
    ['<a class="k" href="/people">x</a>', '<span class="k">x</span>'],
    ['<a href="/people" hidden>x</a>', "<span hidden>x</span>"],
    [
      '<svg><a href="/people"><rect/></a></svg><a href="/people">x</a>',
      "<svg><g><rect/></g></svg><span>x</span>",
    ],
    ['<a href="#errors">x</a>', '<a href="#errors">x</a>'],
    ['<a href="mailto:a@b.example">x</a>', '<a href="mailto:a@b.example">x</a>'],
    [
      '<a href="https://other.example" rel="x">x</a>',
      '<a href="https://other.example" target="_blank" rel="noreferrer noopener">x</a>',
    ],
    ['<a href="//other.example">x</a>', "<span>x</span>"],
    ['<a href="javascript:alert(1)">x</a>', "<span>x</span>"],
    [
      '<form method="get" action="/hives"></form>',
      '<form method="get" action="/-/embedded/hives"></form>',
    ],
    [
      "<article>&lt;a href=&quot;/people&quot;&gt;</article>",
      "<article>&lt;a href=&quot;/people&quot;&gt;</article>",
    ],
  ])("%s becomes %s", (html, expected) => {
    expect(led(html)).toBe(expected);
  });
});
