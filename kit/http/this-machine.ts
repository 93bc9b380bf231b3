/** Whether an address to listen on is one that only this machine reaches. */
export function isThisMachine(host: string): boolean {
  return ["127.0.0.1", "localhost", "::1"].includes(host);
}
