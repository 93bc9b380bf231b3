export const signInPath = "/-/sign-in";

/** The address of the sign-in that leads on to another one. */
export function signInAddress(to: string): string {
  return to === "/" ? signInPath : `${signInPath}?${new URLSearchParams({ to })}`;
}
