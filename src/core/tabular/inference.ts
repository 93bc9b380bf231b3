import { asDate, asDuration, asTime } from "./date-columns.ts";
import { asFiles } from "./file-columns.ts";
import { type ColumnKind, countOf, type Finding, type InferenceContext } from "./finding.ts";
import { asNumber } from "./number-columns.ts";
import type { ColumnProfile } from "./profile.ts";
import { typeBit } from "./type-detection.ts";
import { asAddress, asChoice, asPhoneByName, asText, asYesNo } from "./word-columns.ts";

/** Takes a column for what nearly all of its cells are. */
export function inferColumn(profile: ColumnProfile, context: InferenceContext): Finding {
  const counted =
    profile.filled - countOf(profile, (bits) => (bits & (typeBit.fault | typeBit.nul)) !== 0);
  if (counted === 0) return emptyColumn(context);
  const candidates = [
    asYesNo,
    asPhoneByName,
    asDate,
    asNumber,
    asDuration,
    asTime,
    asAddress,
    asFiles,
    asChoice,
  ];
  for (const candidate of candidates) {
    const finding = candidate(profile, context, counted);
    if (finding) return { evidence: {}, ...finding };
  }
  return asText(profile, context);
}

function emptyColumn({ named }: InferenceContext): Finding {
  const kind = (named ?? "text") as ColumnKind;
  return {
    kind,
    why: kind === "text" ? "no cell has a value" : "no cell has a value; taken by its name",
    hints: {},
    evidence: {},
    exceptions: { count: 0, examples: [] },
  };
}
