/** The type that the name of a field suggests when it has no definition at all. First match wins. */
export const nameHints: readonly (readonly [RegExp, string])[] = [
  [/(^|_)e?mail$/, "email"],
  [/(^|_)(phone|mobile|telephone|tel|fax)$/, "phone"],
  [/(^|_)(url|website|homepage|link)$/, "url"],
  [/(^|_)colou?r$/, "color"],
  [/(^|_)(photo|picture|image)$/, "image"],
  [/(^|_)(attachment|scan)$/, "file"],
  [/(^|_)coordinates$/, "place"],
  [/(^(is|has|can)_|^(active|enabled|done|paid|archived)$)/, "boolean"],
  [/(_at|^(timestamp|moment))$/, "datetime"],
  [
    /((^|_)(date|day|birthday)$|_on$|^(opened|closed|installed|removed|born|joined|begun|ended)$)/,
    "date",
  ],
  [/(^|_)(duration|lap|elapsed)$/, "duration"],
  [/(^|_)(time|hour)$/, "time"],
  [/(^|_)(price|cost|amount|fee|total|salary|balance)$/, "money"],
  [/(^|_)(percent|percentage|rate|share)$/, "percent"],
  [
    /(^|_)(weight|height|width|length|depth|volume|area|temperature|latitude|longitude)$/,
    "decimal",
  ],
  [/(^|_)(count|number|quantity|age|year|rank|position|frames)$/, "integer"],
  [/(^|_)(notes?|description|comments?|remarks?|summary|details|text)$/, "long text"],
];
