/** The address under which people reach the application from elsewhere: PUBLIC_ADDRESS, such as `https://bees.example`. */
export function publicAddress(): URL | undefined {
  const said = process.env.PUBLIC_ADDRESS?.trim();
  return said && URL.canParse(said) ? new URL(said) : undefined;
}

/** Whether people reach the application by HTTPS. */
export function isSecureAddress(): boolean {
  return publicAddress()?.protocol === "https:";
}

/** The origin for links that people pass on: the public address, or the one that a request came to. */
export function originFor(requested: string): string {
  return (publicAddress() ?? new URL(requested)).origin;
}
