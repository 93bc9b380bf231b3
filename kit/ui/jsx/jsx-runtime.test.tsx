import { jsx as frameworks } from "hono/jsx/jsx-runtime";
import { describe, expect, it } from "vitest";
import { jsx } from "./jsx-runtime.ts";

/** Texts that mean something where they don't belong. */
const hostile = [
  `<script>alert(1)</script>`,
  `"><img src=x onerror=alert(1)>`,
  `' onmouseover='alert(1)`,
  "&lt;b&gt; &amp; &#39;",
  "</textarea></title></style>",
  "a\u0000b\u202ec",
  "`$`{1}",
];

describe("text in pages", () => {
  it.each(hostile)("is escaped: %s", (text) => {
    const page = String(
      <p title={text} data-more={text}>
        {text}
        {[text, [text]]}
      </p>,
    );
    expect(page.replace(/^<p |<\/p>$/g, "")).not.toMatch(/<|>.*>|"[^ >]*"[^ >]/);
    expect(page.match(/alert\(1\)/g)?.length ?? 0).toBe(text.includes("alert") ? 5 : 0);
  });

  it.each(hostile)("never becomes an attribute or an element: %s", (text) => {
    expect(String(<p {...{ [text]: "x" }} />)).not.toContain(text);
    expect(() => jsx(text, {})).toThrow("is no name of an element");
  });

  const Wrapped = ({ children }: { children?: unknown }) => <b>{children as string}</b>;
  const Nothing = () => null;
  const trees = (make: typeof jsx) => [
    make("input", { type: "checkbox", checked: true, disabled: false, value: 0, "aria-x": false }),
    make("br", {}),
    make("p", {
      class: undefined,
      id: null,
      children: [1, " ", null, false, true, undefined, "a"],
    }),
    make("textarea", { rows: 4, children: "\n<x>" }),
    make("a", { href: "/a?b=1&c='2'", children: make("i", { children: 'x"y' }) }),
    make("svg", { viewBox: "0 0 1 1", children: make("rect", { width: "1", fill: "#fff" }) }),
    make("select", { className: "s", children: [make("option", { selected: true, hidden: "" })] }),
    make("p", { onclick: () => undefined, children: [] }),
  ];

  it("is the same as the framework's own", () => {
    expect(trees(jsx).map(String)).toEqual(trees(frameworks as never).map(String));
  });

  it("can be made of components", () => {
    const page = (
      <>
        <Wrapped>{hostile[0]}</Wrapped>
        <Nothing />
        {[<Wrapped>1</Wrapped>, "<"]}
      </>
    );
    expect(String(page)).toBe("<b>&lt;script&gt;alert(1)&lt;/script&gt;</b><b>1</b>&lt;");
    const Later = (async () => <p />) as unknown as () => null;
    expect(() => <p>{Later()}</p>).not.toThrow("is no name");
    expect(() => String(<p>{<Later />}</p>)).toThrow("can't be async");
  });
});
