import { Failure } from "../../core/failure.ts";

/** The address that takes changes, of one or several: others only follow it. Throws where none does. */
export async function primaryAmong(
  addresses: readonly URL[],
  takesChanges: (address: URL) => Promise<boolean>,
): Promise<URL> {
  const [only] = addresses;
  if (only && addresses.length === 1) return only;
  const reasons: string[] = [];
  for (const address of addresses) {
    try {
      if (await takesChanges(address)) return address;
      reasons.push(`${address.host} only follows another`);
    } catch (error) {
      if (!(error instanceof Failure) || error.code !== "outside") throw error;
      reasons.push(error.message);
    }
  }
  const help = "start one of them, or correct DATABASE_URL";
  throw new Failure("outside", `no server takes changes: ${reasons.join("; ")}`, help);
}
