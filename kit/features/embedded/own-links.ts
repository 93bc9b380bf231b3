import { escaped, unescaped } from "../../ui/jsx/escaping.ts";

/** What a link of an embedded page leads to instead; undefined where it leads nowhere. */
export type LinkWithin = (href: string) => string | undefined;

/** Links that stay as they are: within the page, and to what isn't a page. */
const kept = /^(?:#|mailto:|tel:|geo:)/;

/**
 * The HTML of a page whose links lead to nothing but embedded pages and other sites, which open in a window of their own.
 * All other links are only their text: the site around the page isn't led into the application. Forms are sent to
 * embedded pages, too. The HTML is what the kit's TSX gives, where no attribute has a `>`.
 */
export function withOwnLinks(html: string, within: LinkWithin): string {
  let inPicture = 0;
  /** By what the end of the link that is open is written. */
  let end = "</a>";
  return html.replace(
    /<(\/?)(a|svg|form)\b([^>]*)>/g,
    (tag, closes: string, name: string, attributes: string) => {
      if (name === "svg") inPicture += closes ? -1 : 1;
      if (name === "svg" || (name === "form" && closes)) return tag;
      if (closes) return end;
      const leads = name === "a" ? "href" : "action";
      const found = new RegExp(`(?<=\\s${leads}=")[^"]*`).exec(attributes);
      end = "</a>";
      if (!found) return tag;
      const href = unescaped(found[0]);
      if (kept.test(href)) return tag;
      if (name === "a" && /^https?:\/\//i.test(href)) {
        const own = attributes.replace(/\s(?:target|rel)="[^"]*"/g, "");
        return `<a${own} target="_blank" rel="noreferrer noopener">`;
      }
      const instead = within(href);
      if (instead !== undefined)
        return tag.replace(`${leads}="${found[0]}"`, () => `${leads}="${escaped(instead)}"`);
      if (name === "form") return tag;
      const plain = inPicture > 0 ? "g" : "span";
      end = `</${plain}>`;
      const looks = [
        ...attributes.matchAll(/\s(?:class|hidden|aria-hidden)(?:="[^"]*")?(?=\s|$)/g),
      ];
      return `<${plain}${looks.join("")}>`;
    },
  );
}
