export const signInPath = "/-/sign-in";
export const signOutPath = "/-/sign-out";
export const samplePath = "/-/sample";
export const welcomePath = "/-/welcome";
export const accountPath = "/-/account";
export const peoplePath = "/-/people";
export const logPath = "/-/log";

/** The address of the sign-in that leads on to another one. */
export function signInAddress(to: string): string {
  return to === "/" ? signInPath : `${signInPath}?${new URLSearchParams({ to })}`;
}

/** The address by which somebody chooses a password. */
export function welcomeAddress(origin: string, secret: string): string {
  return `${origin}${welcomePath}/${secret}`;
}
