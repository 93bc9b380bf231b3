import { Draw } from "./random.ts";

/** How many pictures there are for a field: rows share them. */
export const picturesPerField = 12;

const grounds = ["#f3e3bd", "#dbe8d3", "#d4e2ee", "#efd9cd", "#e4dcef", "#d9e7e4"];
const paints = ["#b5651d", "#4d7c4f", "#3f6f97", "#a34a3c", "#6d5a94", "#8a7a1f"];

const width = 640;
const height = 480;

/** A sample picture as SVG: cells of a comb in some colours, no two pictures of a field alike. */
export function samplePicture(seed: number, field: string, number: number): string {
  const draw = new Draw(seed, field, "picture").at(number);
  const ground = draw.pick(grounds);
  const radius = draw.whole(34, 62);
  const cells: string[] = [];
  const step = { across: radius * 1.5, down: radius * Math.sqrt(3) };
  for (let column = 0; column * step.across < width + radius; column++) {
    for (let row = 0; row * step.down < height + radius; row++) {
      if (draw.next() < 0.45) continue;
      const x = column * step.across;
      const y = row * step.down + (column % 2) * (step.down / 2);
      const shade = (0.35 + 0.65 * draw.next()).toFixed(2);
      cells.push(
        `<polygon points="${corners(x, y, radius * 0.94)}" fill="${draw.pick(paints)}" fill-opacity="${shade}"/>`,
      );
    }
  }
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}"><rect width="${width}" height="${height}" fill="${ground}"/>${cells.join("")}</svg>`;
}

function corners(x: number, y: number, radius: number): string {
  return [0, 1, 2, 3, 4, 5]
    .map((corner) => {
      const angle = (Math.PI / 3) * corner;
      return `${(x + radius * Math.cos(angle)).toFixed(1)},${(y + radius * Math.sin(angle)).toFixed(1)}`;
    })
    .join(" ");
}
