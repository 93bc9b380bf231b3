import { Failure } from "../core/failure.ts";
import type { Loss } from "../flows/migrate/losses.ts";
import { othersIn } from "../flows/rows/clear-rows.ts";
import { agreed, canAsk } from "./asking.ts";

/**
 * Says which rows and values reverting deletes, and asks. Where there is nobody to ask, it refuses unless a flag
 * said yes already.
 */
export async function askAboutLosses(
  losses: readonly Loss[],
  command: string,
  { yes, json, say }: { yes: boolean; json: boolean; say: (text: string) => void },
): Promise<void> {
  if (losses.length === 0) return;
  const lines = losses.map(lossLine);
  if (yes) return;
  const kept = "They are kept in kept/, and are restored when the migration is applied again";
  if (!canAsk() || json) {
    throw new Failure(
      "usage",
      `nothing was changed: reverting deletes\n${lines.join("\n")}`,
      `${kept}. To continue: ${command} --yes`,
    );
  }
  say(`Reverting deletes\n${lines.join("\n")}\n${kept}.`);
  if (!(await agreed("Go on?"))) throw new Failure("usage", "nothing was changed");
}

function lossLine({ migration, sentence, owners }: Loss): string {
  const samples =
    owners && owners.sample > 0 ? [`${owners.sample.toLocaleString("en")} sample rows`] : [];
  const parts = owners ? [...samples, othersIn(owners)].filter(Boolean) : [];
  const kinds = Object.values(owners ?? {}).filter((count) => count > 0).length;
  // Where all rows are of one kind, how many they are was said already.
  const whose = kinds === 1 ? parts.join().replace(/^[\d,]+ (rows? )?/, "") : parts.join(", ");
  return `  - ${migration}: ${sentence.replace(/ (is|are) deleted$/, "")}${whose && ` (${whose})`}`;
}
