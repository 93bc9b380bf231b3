/** What the whole application agrees on; set once, when the application starts. */
export interface Settings {
  /** The name in the heading of every page. */
  name: string;
  /** A language tag such as `en` or `es-MX`: how numbers and dates are written. */
  language: string;
  /** The ISO 4217 code of amounts of money. */
  currency: string;
  /** The IANA time zone in which people type and read times, and by which it is "today". */
  timezone: string;
}

let current: Settings = { name: "Application", language: "en", currency: "EUR", timezone: "UTC" };

/** Replaces the settings. */
export function configure(settings: Settings): void {
  current = settings;
}

/** The settings in force. */
export function settings(): Settings {
  return current;
}
