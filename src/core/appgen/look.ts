import type { Look, Model } from "../model/model.ts";
import { tableOf } from "../schema/from-model.ts";

/** The accent of each look on a light ground, as `kit/ui/tokens.css` and `kit/ui/looks.css` have it. */
const accents: Readonly<Record<Look, string>> = {
  honey: "#7a4b00",
  moss: "#3f5c00",
  slate: "#234b82",
  plum: "#6f2b63",
};

/** What lies behind text, light and dark: the lightest and the darkest that the looks have. */
const grounds = { light: "#f1ede3", dark: "#2d2922" } as const;

/** The least contrast of text that can be pressed, and of the same while it is pointed at. */
const contrasts = { usual: 4.8, strong: 7 } as const;

/** The colour that stands for an application: its accent, as dark as it is on a light ground. */
export function accentOf({ app }: Model): string {
  return app.accent ? darkened(app.accent, contrasts.usual) : accents[app.look];
}

/** `app.css`: the styles of the kit, with the accent of the model, as dark and as light as it has to be to be read. */
export function appCss({ app: { accent }, entities }: Model): string {
  const parts = [
    '@import "./kit/ui/app.css";\n',
    ...(accent ? [accentCss(accent)] : []),
    ...entities.flatMap(({ name, icon }) => (icon?.svg ? [iconCss(name, icon.svg)] : [])),
    "/* Styles of your own can follow. */\n",
  ];
  return parts.join("\n");
}

/** The rule that puts the picture of an entity into the menu. */
function iconCss(name: string, svg: string): string {
  return `.menu [data-icon="${tableOf(name)}"]::before {
  mask-image: url("data:image/svg+xml,${encodeURIComponent(svg).replaceAll("'", "%27")}");
}
`;
}

function accentCss(accent: string): string {
  const [dark, darker] = [contrasts.usual, contrasts.strong].map((each) => darkened(accent, each));
  const [light, lighter] = [contrasts.usual, contrasts.strong].map((each) =>
    lightened(accent, each),
  );
  return `/* The accent of the model, as dark and as light as it has to be to be read. */
:root[data-look] {
  --accent: light-dark(${dark}, ${light});
  --accent-strong: light-dark(${darker}, ${lighter});
  --accent-wash: light-dark(${mixed(accent, "#ffffff", 0.85)}, ${mixed(accent, "#1b1815", 0.75)});
  --on-accent: light-dark(#ffffff, #14110c);
}
`;
}

/** `icon.svg`: the picture of the model, or the first letter of the name on the accent. */
export function iconSvg(model: Model): string {
  const { icon, name } = model.app;
  if (icon?.svg) return icon.svg;
  const [letter = "A"] = name.toLocaleUpperCase("en");
  const shown = /[<&]/.test(letter) ? "•" : letter;
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 32 32"><rect width="32" height="32" rx="6" fill="${accentOf(model)}"/><text x="16" y="22.5" text-anchor="middle" font-family="sans-serif" font-size="19" font-weight="700" fill="#ffffff">${shown}</text></svg>\n`;
}

/** A colour with as much black as it needs to be read on a light ground. */
function darkened(color: string, contrast: number): string {
  return shaded(color, "#000000", grounds.light, contrast);
}

/** A colour with as much white as it needs to be read on a dark ground. */
function lightened(color: string, contrast: number): string {
  return shaded(color, "#ffffff", grounds.dark, contrast);
}

function shaded(color: string, towards: string, ground: string, contrast: number): string {
  for (let share = 0; share < 1; share += 0.02) {
    const found = mixed(color, towards, share);
    if (contrastOf(found, ground) >= contrast) return found;
  }
  return towards;
}

/** Two colours mixed: `share` is that of the second. */
function mixed(one: string, other: string, share: number): string {
  const [first, second] = [channels(one), channels(other)];
  const parts = first.map((part, at) => Math.round(part * (1 - share) + (second[at] ?? 0) * share));
  return `#${parts.map((part) => part.toString(16).padStart(2, "0")).join("")}`;
}

/** The contrast of two colours, as WCAG 2 defines it: 1 to 21. */
export function contrastOf(one: string, other: string): number {
  const [high = 0, low = 0] = [luminance(one), luminance(other)].sort((a, b) => b - a);
  return (high + 0.05) / (low + 0.05);
}

/** The relative luminance of a colour, as WCAG 2 defines it: 0 to 1. */
function luminance(color: string): number {
  const [red = 0, green = 0, blue = 0] = channels(color).map((channel) => {
    const part = channel / 255;
    return part <= 0.04045 ? part / 12.92 : ((part + 0.055) / 1.055) ** 2.4;
  });
  return 0.2126 * red + 0.7152 * green + 0.0722 * blue;
}

/** The parts of a colour such as `#3355aa`: red, green and blue, 0 to 255. */
function channels(color: string): number[] {
  return [1, 3, 5].map((at) => Number.parseInt(color.slice(at, at + 2), 16));
}
