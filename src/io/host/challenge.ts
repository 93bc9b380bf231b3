/** What somebody signs to sign in to a host: it says which host, so that no other can pass the signature on. */
export function challengeText(origin: string, challenge: string): string {
  return `I sign in to the host ${origin}\n${challenge}\n`;
}
