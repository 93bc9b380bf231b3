/** The address and name of the sample person of a group: no mail reaches the address, and nobody else can have it. */
export function sampleAccount(group: string, label: string): { email: string; name: string } {
  const email = `${group.replace(/[^a-z0-9]/gi, "-")}@sample.invalid`;
  return { email, name: `${label} (sample)` };
}
