/** What a lookup offers at most, besides what is chosen in it already. */
export const mostOptions = 5000;
