/** What pages in other sites say, and how administrators put them there, in English. */
export const embeddedEn = {
  thanks: "Thank you. What you sent has arrived.",
  another: "Send another one",
  send: "Send",
  trap: "Leave this blank",
  notNow: "Not now",
  tooMany: (minutes: string) =>
    `This form was sent too often. Wait ${minutes} minutes, then go back to it and send it again.`,
  sites: "In other sites",
  how: "These pages may stand in pages of other sites, as the model says. Put the code where the page is to be. Whoever looks at it there sees what visitors may see.",
  kinds: {
    list: "list",
    record: "one record",
    form: "form for visitors",
    report: "report",
    calendar: "calendar",
  },
  shownOn: (origins: readonly string[]) => `Shown on ${origins.join(", ")}`,
  whichRecord: "The last part of the address is the number of the record.",
  look: "Look at it",
};
