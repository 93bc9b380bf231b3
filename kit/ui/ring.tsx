import { arc, pie } from "d3-shape";
import type { Scope } from "../access/scope.ts";

/** A part of a whole, and where it leads. */
export interface Slice {
  label: string;
  count: number;
  href: string;
}

/** The most slices that are told apart; the smaller ones are one together, in the colour of none. */
const mostSlices = 7;

const outer = 50;
const inner = 28;

/** Parts of a whole as a ring, with its words and numbers beside it. Each part leads to its rows. */
export function Ring({ scope, slices }: { scope: Scope; slices: readonly Slice[] }) {
  const sorted = slices.filter(({ count }) => count > 0).sort((a, b) => b.count - a.count);
  const alone = sorted.length > mostSlices + 1 ? sorted.slice(0, mostSlices) : sorted;
  const others = sorted.slice(alone.length).reduce((sum, { count }) => sum + count, 0);
  const all: (Omit<Slice, "href"> & { href?: string })[] = [
    ...alone,
    ...(others > 0 ? [{ label: scope.messages.other, count: others }] : []),
  ];
  const whole = all.reduce((sum, { count }) => sum + count, 0);
  const layOut = pie<(typeof all)[number]>()
    .value(({ count }) => count)
    .sort(null);
  const draw = arc<{ startAngle: number; endAngle: number }>()
    .innerRadius(inner)
    .outerRadius(outer);
  const words = ({ label, count }: Pick<Slice, "label" | "count">) =>
    scope.messages.slice(label, scope.format.number(count), scope.format.share(count / whole));
  return (
    <div class="ring">
      <svg viewBox="-52 -52 104 104" aria-hidden="true">
        {layOut(all).map(({ data, startAngle, endAngle }, at) => {
          const shape = (
            <path
              d={draw({ startAngle, endAngle }) ?? ""}
              data-slice={data.href ? at + 1 : "others"}
            >
              <title>{words(data)}</title>
            </path>
          );
          return data.href ? (
            <a href={data.href} tabindex={-1}>
              {shape}
            </a>
          ) : (
            shape
          );
        })}
      </svg>
      <ul>
        {all.map((slice, at) => (
          <li>
            <span class="ring-key" data-slice={slice.href ? at + 1 : "others"} aria-hidden="true" />
            {slice.href ? <a href={slice.href}>{words(slice)}</a> : words(slice)}
          </li>
        ))}
      </ul>
    </div>
  );
}
