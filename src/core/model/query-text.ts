/** A query of an address with as few codes as it can be read with: `by=date:month&only=year(date)+>=+2026`. */
export function queryText(query: URLSearchParams): string {
  return [...query]
    .map(([name, value]) => `${encodeURIComponent(name)}=${valueText(value)}`)
    .join("&");
}

/** What stands for itself in the value of a parameter. */
const plain: Readonly<Record<string, string>> = {
  "%20": "+",
  "%2C": ",",
  "%2F": "/",
  "%3A": ":",
  "%3C": "<",
  "%3D": "=",
  "%3E": ">",
};

function valueText(value: string): string {
  return encodeURIComponent(value).replace(/%[\dA-F]{2}/g, (code) => plain[code] ?? code);
}
