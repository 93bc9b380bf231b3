import type { Action } from "../access/action.ts";
import { inSentence } from "../entity/label.ts";
import { pluralForm } from "./plural.ts";

const plural = (count: number, one: string, other: string) =>
  pluralForm("en", count, { one, other });

/** The sentences about how people sign in, in English. */
export const peopleEn = {
  // Forgotten passwords, signing up, another address.
  forgottenLink: "Forgot your password?",
  forgottenTitle: "Choose a new password",
  forgottenHelp:
    "Enter the address that you sign in with. You will get an email with a link to choose a new password.",
  sendLink: "Send the link",
  letterSent: "Check your email",
  letterSentHelp: (email: string) =>
    `If somebody signs in with ${email}, an email is on its way. It may take a few minutes, and may end up in the spam folder.`,
  signUp: "Sign up",
  signUpHelp: "You will get an email with a link to choose a password.",
  signUpSent: (email: string) =>
    `An email to ${email} is on its way. Follow its link to choose a password.`,
  mustWait: "You can sign in once an administrator has let you in. You will get an email.",
  askAnother: "It was used, or is too old. Ask for another one.",
  changeEmail: "Change the email address",
  newEmail: "New email address",
  emailLetter: (email: string) =>
    `An email to ${email} is on its way. The new address counts once you follow its link.`,
  confirmEmail: "Use this address",
  confirmEmailHelp: (email: string) => `From now on, you sign in with ${email}.`,
  mailbox: "Mailbox",
  mailboxHelp: "No mail server is configured. Emails that would have been sent are kept here.",
  mailEmpty: "No emails yet.",
  mailTo: "To",
  mailStates: {
    waiting: "Waiting",
    sending: "Being sent",
    sent: "Sent",
    failed: "Not delivered",
    kept: "Not sent",
  },
  invitationSent: "An email with a link is on its way.",
  letIn: "Let in",

  // Organisations.
  inNone: "You aren’t in any yet.",
  thisOneNow: "You are here",
  goTo: "Go there",
  begin: "Create",
  nameOf: (kind: string) => `Name of this ${inSentence(kind)}`,
  anotherOne: (kind: string) => `Another ${inSentence(kind)}`,
  joined: "Has an account already, and now belongs here, too. An email says so.",
  removeHere: (name: string) => `${name} then loses access here, and keeps it elsewhere.`,

  // Plans.
  plan: "Plan",
  planFull: (most: string, many: string) => `The plan has room for ${most} ${many}, and no more.`,
  planPeople: (used: number, most: number) =>
    `The plan is for ${most} ${plural(most, "person", "people")}, and there ${plural(used, "is", "are")} ${used}.`,
  planUsage: (used: string, most: string) => `${used} of ${most}`,
  planNearlyFull: (used: string, most: string, many: string) =>
    `The plan has room for ${most} ${many}; ${used} are there.`,
  changePlan: "Change the plan",
  paymentStandIn:
    "This page stands in for a service that takes payments, while the application is being developed. No money is taken.",
  pay: "Pay",

  // Second factor and passkeys.
  secondFactor: "Second factor",
  secondFactorOff:
    "With a second factor, a password alone isn’t enough to sign in: an app on your phone shows a code that changes every half minute.",
  secondFactorOn: "Signing in asks for a code of your app.",
  setUpSecond: "Set up a second factor",
  scanCode: "Scan this with the app, or type the key into it:",
  code: "Code",
  codeHint: "Six digits of your app, or a recovery code",
  sixDigits: "Six digits of your app",
  wrongCode: "This code is wrong, or was used already.",
  turnOnSecond: "Turn on",
  turnOffSecond: "Turn off the second factor",
  recoveryCodes: "Recovery codes",
  recoveryHelp:
    "Each of these signs you in once without your app. Keep them in a safe place: they are shown only now.",
  recoveryLeft: (count: number) =>
    `${count} recovery ${plural(count, "code is", "codes are")} left.`,
  newRecovery: "Make new recovery codes",
  removeSecond: "Remove the second factor",
  confirmSignIn: "Confirm that it’s you",
  passkeys: "Passkeys",
  passkeysHelp: "Sign in with your phone, your computer or a security key instead of a password.",
  addPasskey: "Add a passkey",
  passkeyName: "Name of the passkey",
  usePasskey: "Sign in with a passkey",
  passkeyRefused: "This passkey isn’t known here. Sign in otherwise.",
  passkeyFailed: "The passkey couldn’t be used.",
  remove: "Remove",
  neverUsed: "Not used yet",

  // Signing in by a provider.
  signInBy: (provider: string) => `Sign in with ${provider}`,
  providerRefused: "You can’t sign in this way. Ask an administrator to invite you.",
  providerAway: "The sign-in service can’t be reached. Try again later, or sign in otherwise.",

  // Views of lists.
  views: "Views",
  viewsOf: (many: string) => `Views of ${many}`,
  keepView: "Keep this view…",
  putInMenu: "In the menu, too",
  isInMenu: "in the menu",
  makeStart: "Open after signing in",
  endStart: "Don’t open after signing in",
  shareWith: "For whom",
  nobodyElse: "For me",
  deleteView: (name: string) => `Delete the view ${name}`,
  tooManyViews: "There are too many views, or this one has too many filters.",

  // Rights.
  rights: "Rights",
  rightsStart:
    "The records with which each group may do something. The model says how it begins; you can change it here.",
  rightsCeiling:
    "The records with which each group may do something. The model says what is possible; you can take some of it away here.",
  ownGroups: "Groups of your own",
  ownGroupsHelp:
    "Groups in addition to those of the model. They have no rights until you give them some.",
  newGroup: "New group",
  groupTaken: "There is a group of this name already, or there are too many.",
  deleteGroup: (name: string) => `Delete the group “${name}”?`,
  deleteGroupHelp: (members: number) =>
    members === 1
      ? "1 person is in it, and loses the rights that it gives."
      : `${members} people are in it, and lose the rights that it gives.`,
  visitors: "Visitors",
  everyone: "Everyone",
  asModel: (what: string) => `${what} (model)`,
  forAll: "All",
  forSome: "Some",
  forNone: "None",
  actions: {
    see: "See",
    add: "Add",
    change: "Change",
    delete: "Delete",
    history: "See the history",
    export: "Export",
  } satisfies Record<Action, string> as Readonly<Record<Action, string>>,

  // Lists as they were.
  asItWas: "As it was",
  asItWasTitle: (headings: string) => `${headings} as they were`,
  moment: "Moment",
  show: "Show",
  nothingThen: "There was nothing then.",
  asItWasCut: "There are more records, or more changes since then, than this page looks at.",

  // Activity.
  activity: "Activity",
  activityHelp: "Who used which pages, in the last 30 days.",
  mostActive: "Most active people",
  mostVisited: "Most visited pages",
  byDay: "By day",
  asTable: "As a table",
  day: "Day",
  page: "Page",
  visits: "Pages opened",
  peopleThere: "People",
  activityOff: "Activity isn’t recorded: ACTIVITY=no.",

  letters: {
    invited: (application: string, link: string, hours: number) => ({
      subject: `Invitation to ${application}`,
      text: `You are invited to ${application}. Choose a password here:\n\n${link}\n\nThe link works once, within ${hours} hours.\n`,
    }),
    forgotten: (application: string, link: string, hours: number) => ({
      subject: `Another password for ${application}`,
      text: `Somebody, probably you, asked for another password for ${application}. Choose it here:\n\n${link}\n\nThe link works once, within ${hours} ${plural(hours, "hour", "hours")}. If it wasn't you, do nothing: your password stays.\n`,
    }),
    signedUp: (application: string, link: string, hours: number) => ({
      subject: `Your account in ${application}`,
      text: `Somebody, probably you, signed up for ${application} with this address. Choose a password here:\n\n${link}\n\nThe link works once, within ${hours} hours. If it wasn't you, do nothing.\n`,
    }),
    joined: (application: string, where: string, link: string) => ({
      subject: `${where} in ${application}`,
      text: `You are in “${where}” in ${application} now. Sign in as always:\n\n${link}\n`,
    }),
    knownAlready: (application: string, link: string) => ({
      subject: `Your account in ${application}`,
      text: `Somebody, probably you, signed up for ${application} with this address, but it has an account already. Sign in here, or ask for another password:\n\n${link}\n`,
    }),
    letIn: (application: string, link: string) => ({
      subject: `You can sign in to ${application}`,
      text: `An administrator let you in. Sign in here:\n\n${link}\n`,
    }),
    newEmail: (application: string, link: string, hours: number) => ({
      subject: `Your new address for ${application}`,
      text: `Follow this link to sign in to ${application} with this address from now on:\n\n${link}\n\nThe link works once, within ${hours} ${plural(hours, "hour", "hours")}. If you didn't ask for it, do nothing.\n`,
    }),
    monthly: (application: string, name: string, report: string) => ({
      subject: `${name} · ${application}`,
      text: `${report}\n\nYou get this report at the beginning of each month. Who kept it in ${application} can end that.\n`,
    }),
    changed: (application: string, what: string) => ({
      subject: `Your account in ${application}`,
      text: `${what}\n\nIf it wasn't you, ask an administrator of ${application} for help at once.\n`,
    }),
  },
  ownChanges: {
    password: "Your password was changed.",
    email: (email: string) => `Your address was changed to ${email}.`,
    secondOn: "A second factor was set up.",
    secondOff: "The second factor was turned off.",
    passkey: "A passkey was added.",
    token: (name: string) => `The token “${name}” was created, by which a program can act as you.`,
  },
};
