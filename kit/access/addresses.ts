export const signInPath = "/-/sign-in";
export const signOutPath = "/-/sign-out";
export const signUpPath = "/-/sign-up";
export const forgottenPath = "/-/forgotten";
export const codePath = "/-/code";
export const samplePath = "/-/sample";
export const welcomePath = "/-/welcome";
export const newEmailPath = "/-/new-email";
export const passkeyPath = "/-/passkey";
export const providerPath = "/-/provider";
export const accountPath = "/-/account";
export const ownTokensPath = "/-/account/tokens";
export const peoplePath = "/-/people";
export const organisationsPath = "/-/organisations";
export const planPath = "/-/plan";
export const paymentPath = "/-/payment";
export const rightsPath = "/-/rights";
export const ownGroupsPath = "/-/groups";
export const logPath = "/-/log";
export const activityPath = "/-/activity";
export const mailboxPath = "/-/mail";
export const calendarPath = "/-/calendar";

/** The address of the sign-in that leads on to another one. */
export function signInAddress(to: string): string {
  return to === "/" ? signInPath : `${signInPath}?${new URLSearchParams({ to })}`;
}

/** The address by which somebody chooses a password. */
export function welcomeAddress(origin: string, secret: string): string {
  return `${origin}${welcomePath}/${secret}`;
}
