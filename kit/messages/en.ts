import type { Trouble } from "../database/contract.ts";
import { pluralForm } from "./plural.ts";

const plural = (count: number, one: string, other: string) =>
  pluralForm("en", count, { one, other });

/** Every sentence of the kit, in English. */
export const en = {
  menu: "Menu",
  skip: "Skip to the content",
  youAreHere: "You are here",
  start: "Go to the start",
  yes: "Yes",
  no: "No",
  none: "—",
  days: "days",
  computed: "Computed",
  automatic: {
    id: "Number",
    version: "Version",
    created_at: "Created",
    updated_at: "Updated",
  },
  other: "Other",

  // Lists.
  newRecord: (one: string) => `New ${one}`,
  newShort: "New",
  search: "Search",
  searchIn: (many: string) => `Search in ${many}`,
  counted: (count: string, noun: string) => `${count} ${noun}`,
  searchedFor: (words: string) => ` with “${words}”`,
  showAll: "Show all",
  showAllOf: (count: string) => `Show all ${count}`,
  noMatches: (many: string) => `No ${many} match.`,
  noRecords: (many: string) => `There are no ${many} yet.`,
  makeFirst: "Make the first one",
  noneYet: "None yet.",
  pages: "Pages",
  previous: "Previous",
  next: "Next",
  pageOf: (page: string, pages: string) => `Page ${page} of ${pages}`,

  // Records.
  edit: "Edit",
  editRecord: (title: string) => `Edit ${title}`,
  delete: "Delete",
  deleteRecord: (title: string) => `Delete ${title}`,
  saved: (kind: string) => `${kind} saved.`,
  savedNext: (kind: string) => `${kind} saved:`,
  deleted: (kind: string, title: string) => `${kind} ${title} deleted.`,

  // Forms.
  save: "Save",
  saveAndNext: "Save and start the next",
  cancel: "Cancel",
  required: "(required)",
  choose: "Choose…",
  nothingToChoose: "There is nothing to choose yet.",
  onlyFirstOffered: (count: number) => `Only the first ${count} are offered.`,
  filledIn: "Left blank, it is filled in.",
  keptUnseen: "What is saved here isn’t shown to you. Left blank, it stays.",
  mayNotAddThis: "You may not add a record with these values.",
  notSaved: "Not saved.",
  fieldsToLookAt: (count: number, shown: string) =>
    `${shown} ${plural(count, "field needs", "fields need")} another look:`,
  editedMeanwhile: "Not saved: somebody else saved this record while you were editing it.",
  yoursBelow: "Below is your version. Saving again replaces theirs where the two differ:",
  sameTyped: "Both of you typed the same, so there is nothing left to save.",
  field: "Field",
  savedNow: "Saved now",
  yours: "Yours",
  deletedMeanwhile: "Not saved: somebody else deleted this record while you were editing it.",
  typedBelow:
    "What you typed is below. Saving it makes a new record; parts of the old one are gone.",
  notAsked: "This isn’t asked for as things stand, so it stays as it was.",
  sameAlready: (one: string) => `Another ${one} has this already.`,
  sameTogether: (one: string, labels: readonly string[]) =>
    `Another ${one} has the same ${labels.join(" and ")}.`,
  chosenIsGone: "A record that was chosen here no longer exists.",
  valuesRefused: "The database refused these values.",
  aboveItself: (one: string) => `No ${one} can be above itself: choose another one.`,
  pickDate: "Pick a date",

  // Values.
  fillIn: "Fill this in.",
  tooLong: "This is too long.",
  tooManyMarks: "A letter has too many marks.",
  unstorable: "This holds a character that can't be kept (NUL).",
  atLeastCharacters: (count: number) =>
    `Use at least ${count} ${plural(count, "character", "characters")}.`,
  atMostCharacters: (count: number) =>
    `Use at most ${count} ${plural(count, "character", "characters")}.`,
  wholeNumber: "Use a whole number.",
  number: "Use a number, such as 12.5.",
  atMostPlaces: (count: number) =>
    `Use at most ${count} ${plural(count, "digit", "digits")} after the point.`,
  atMostDigits: "Use at most 15 digits in all.",
  atLeast: (least: number | string) => `Use ${least} or more.`,
  atMost: (most: number | string) => `Use ${most} or less.`,
  chooseDate: "Choose a date.",
  date: (example: string) => `Use a date, such as ${example}.`,
  fromDate: (date: string) => `Use ${date} or later.`,
  toDate: (date: string) => `Use ${date} or earlier.`,
  fromToday: "Use today or later.",
  toToday: "Use today or earlier.",
  chooseTime: "Choose a time.",
  time: (example: string) => `Use a time, such as ${example}.`,
  duration: (example: string) => `Use hours and minutes, such as ${example}.`,
  chooseDateTime: "Choose a date and a time.",
  dateTime: (example: string) => `Use a date and a time, such as ${example}.`,
  momentRange: "Use a moment from the second day of year 1 to the end of 9999.",
  email: "Use an email address, such as ana@example.org.",
  url: "Use a web address that begins with https://.",
  phone: "Use a telephone number, such as +34 600 000 000.",
  chooseColor: "Choose a colour.",
  color: "Use a colour, such as #ffcc00.",
  chooseOne: "Choose one.",
  chooseOffered: "Choose one of those offered.",
  chooseFromOffered: "Choose from those offered.",
  chooseAtMost: (count: number) => `Choose at most ${count}.`,
  chooseAtLeastOne: "Choose at least one.",
  /** How the parts of a date are called where one is to be typed. */
  dateLetters: { day: "dd", month: "mm", year: "yyyy" },

  // Deletion.
  deleteQuestion: "Delete",
  cantDelete: (title: string) => `${title} can’t be deleted while it is in use.`,
  changeFirst: "Change or delete these first:",
  backTo: (title: string) => `Back to ${title}`,
  notDeleted: "Not deleted.",
  partsGo: "These are parts of it and will be deleted with it:",
  cantBeUndone: "This can’t be undone.",
  andMore: " and more",
  inUse: "It is in use.",
  partsInUse:
    "Something that would be deleted with it is in use elsewhere. Look at its parts, and change what refers to them first.",
  changedMeanwhile:
    "It was changed since this page was opened. Deleting it now deletes it as it is by now.",

  // Signing in.
  signIn: "Sign in",
  signOut: "Sign out",
  signedOut: "You are signed out",
  signInAndSendAgain:
    "What you typed isn’t lost: sign in on another page, come back here, and load this page again to send it.",
  emailAddress: "Email address",
  password: "Password",
  wrongPassword: "This email address and this password don’t belong together.",
  tooManyAttempts: (minutes: number) =>
    `There were too many attempts. Try again in ${minutes} minutes.`,
  forgotten:
    "If you have forgotten your password, ask an administrator for a link to choose another one.",
  welcome: (name: string) => `Welcome, ${name}`,
  choosePassword: (application: string) =>
    `Choose the password by which you sign in to ${application}.`,
  newPassword: "New password",
  passwordAgain: "The same password again",
  passwordHint: "At least 12 characters. Several words are easier to remember than signs.",
  savePassword: "Save the password",
  commonPassword: "This is one of the passwords that are tried first. Choose another one.",
  notTheSame: "This isn’t the same password.",
  notYourPassword: "This isn’t your password.",
  emailTaken: "Somebody signs in with this address already.",
  linkEnded: "This link no longer works",
  askForLink: "It was used, or is too old. Ask an administrator for another one.",
  yourAccount: "Your account",
  accountDone: {
    own: "Saved.",
    password: "Your password was changed. You are signed out everywhere else.",
    sessions: "Signed out there.",
  },
  yourName: "Your name",
  language: "Language",
  timezone: "Time zone",
  asApplication: "As the application",
  changePassword: "Change the password",
  currentPassword: "Current password",
  whereSignedIn: "Where you are signed in",
  lastUsed: "Last used",
  signedInAt: "Signed in",
  fromWhere: "From",
  thisOne: "This browser",
  endSession: "Sign out",
  endOthers: "Sign out everywhere else",

  // People, for administrators.
  people: "People",
  peopleCount: (count: number, shown: string) => `${shown} ${plural(count, "person", "people")}`,
  name: "Name",
  groups: "Groups",
  isRecord: (kind: string) => `${kind}: which record this person is`,
  recordTaken: "Somebody else is this record already.",
  state: "State",
  administrators: "Administrators",
  accountStates: { active: "Signs in", invited: "Invited", suspended: "Suspended" },
  invite: "Invite people",
  whom: "Whom to invite",
  whomHint: "One person a line: Ana Vidal, ana@example.org",
  personLine: (line: string) => `Write a name, a comma and an email address: “${line}”`,
  invited: "Invited",
  passLinksOn: (hours: number) =>
    `Pass each link on to its person, who chooses a password by it. A link works once, for ${hours} hours, and is shown only here.`,
  passLinkOn: (hours: number) =>
    `Pass this link on. It works once, for ${hours} hours, and is shown only here.`,
  newLink: "Make a link to choose a password",
  signOutEverywhere: "Sign out everywhere",
  suspend: "Suspend",
  readmit: "Readmit",
  removePerson: "Remove",
  removeSurely: (name: string) => `${name} can’t sign in any more then. This can’t be undone.`,
  lastAdministrator:
    "Nobody would be left who can manage people. Make somebody else an administrator first.",
  personDone: { saved: "Saved.", ended: "Signed out everywhere." },

  // What goes wrong.
  notFound: "Page not found",
  nothingHere: "There is nothing at this address.",
  refused: "Refused",
  requestRefused: "This request was refused.",
  unreadable: "This request can’t be read.",
  forbidden: "You may not do this.",
  tooMuch: "That was too much to save at once.",
  outcomeUnknown: "It is not known whether this was saved",
  lookFirst:
    "The connection to the database was lost at the very end, so it is not known whether your change was saved. Look at the record before you send it again.",
  databaseAway: "The database is not available",
  somethingWrong: "Something went wrong",
  logSaysMore: "The log of the server says more.",
  cantBeShown: "This page can’t be shown now.",
  nothingSaved: "Nothing was saved.",
  lookWhetherSaved: "Look whether your change was saved before you send it again.",
  troubles: {
    conflict: "Others were changing the same records. Try again.",
    busy: "Others were saving for too long. Try again in a moment.",
    lost: "The connection to the database was lost. Try again in a moment.",
    slow: "The database took too long to answer. Try again later.",
    unreachable: "The database can’t be reached. Try again later.",
  } satisfies Record<Trouble, string> as Readonly<Record<Trouble, string>>,
};

/** The sentences of the kit in one language. A language with one too few or one too many doesn't compile. */
export type Messages = typeof en;
