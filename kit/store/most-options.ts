/** What a filter by a record offers at most, besides what is chosen in it already. */
export const mostOptions = 5000;

/** The most records that a lookup of a form lists; among more, one is found by typing. */
export const mostListed = 100;
