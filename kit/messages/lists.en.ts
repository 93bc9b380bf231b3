/** What lists say where rows are typed, moved and taken in, in English. */
export const listsEn = {
  noneIsCalled: (title: string) => `None is called “${title}”.`,
  severalAreCalled: (title: string) => `Several are called “${title}”: choose one from the list.`,
  yesOrNo: "Use yes or no.",

  // How many rows there are.
  moreThan: (count: string) => `More than ${count}`,
  about: (count: string) => `About ${count}`,
  countAll: "Count all",

  compactRows: "Compact rows",
  place: "Place",
  width: "Least width",
  widthOf: (column: string) => `Least width of ${column}, in pixels`,

  // Layouts.
  layout: "Layout",
  layouts: {
    table: "Table",
    beside: "Side by side",
    cards: "Cards",
    board: "Board",
    tree: "Tree",
    map: "Map",
    calendar: "Calendar",
    report: "Report",
  },
  mapTooMany: (most: string) =>
    `Only the first ${most} are on the map: filter the list to see others.`,
  withoutPlace: (count: string) => `Without a place: ${count}.`,
  move: "Move",
  moveRecord: (title: string) => `Move ${title} to`,
  moved: (title: string, value: string) => `${title}: ${value}.`,
  notMoved: (title: string) => `${title} was not moved`,
  movedMeanwhile: "Somebody else changed it since this page was opened. Look at it again.",
  below: (count: string) => `${count} below`,
  treeTooMany: (most: string) => `Only the first ${most} are shown: filter the list to see others.`,

  // Taking rows in from a file.
  importWord: "Import…",
  importOf: (many: string) => `Import ${many}`,
  importFile: "File",
  importHint: (most: string) =>
    `CSV, or the first sheet of an XLSX workbook, with titles in its first row and up to ${most} rows. Nothing is saved before you have seen what becomes of each row.`,
  importWrong: {
    empty: (_most: string) => "There are no rows in this file, below a row of titles.",
    large: (most: string) =>
      `This file has more than ${most} rows, or too many columns or characters. Import it in parts.`,
    unreadable: (_most: string) =>
      "This file can’t be read: choose a CSV file or an XLSX workbook.",
  },
  importColumn: "Column of the file",
  importExamples: "Values",
  importGoesTo: "Goes to",
  importLeftOut: "Left out",
  importUntitled: (place: number) => `Column ${place}`,
  importKey: (one: string) => `What tells which ${one} a row is about`,
  importAllNew: "Nothing: all rows are new",
  importKeyHint: "A row with a value that is there already changes that record.",
  importClears: "A blank cell clears what is saved",
  importPreview: "Preview",
  importNoColumn: "Choose where at least one column goes.",
  importNoRecord: "There is no record with this number.",
  importNothingYet: "Nothing is saved yet. This is what becomes of each row:",
  importWould: { refused: "Refused", changed: "Changed", new: "New", same: "Same as saved" },
  importDid: { refused: "Not saved", changed: "Changed", new: "Added", same: "Same as before" },
  importSave: (count: string) => `Save ${count}`,
  importBack: "Back to the columns",
  importRow: (number: string) => `Row ${number}`,
  importFirst: (count: string) => `The first ${count} are listed.`,

  // The grid.
  editInGrid: "Edit rows",
  gridOf: (many: string) => `Edit ${many}`,
  gridNeedsScripts:
    "Editing rows needs JavaScript. Without it, change each record on its own page.",
  gridHelp:
    "Arrow keys and Tab move. Type, or press Enter or F2, to change a cell; Escape leaves it as it was. Cells can be copied to and from a spreadsheet.",
  gridTools: { undo: "Undo", redo: "Redo", fill: "Fill down" },
  /** What the browser says; `{}` is where a value stands. */
  gridWords: {
    saved: "All saved",
    saving: "Saving…",
    waiting: "Not saved yet",
    offline: "No connection: what you typed is kept here and sent when there is one.",
    signedOut:
      "You are signed out. Sign in on another page; what you typed is kept here and sent then.",
    refused: "The server refused this. What you typed is kept here.",
    wrong: "Some rows are not saved: look at the marked cells.",
    readOnly: "This cell can’t be changed here.",
    gone: "Somebody else deleted this record.",
    conflict: "Somebody else saved “{}” here meanwhile.",
    keepMine: "Use mine",
    takeTheirs: "Use theirs",
    pasted: "{} cells pasted.",
    cutOff: "{} cells had no place and were left out.",
    nothing: "Nothing matches.",
  },
};
