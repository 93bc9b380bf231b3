/** Whether a text has printable ASCII only, whose case every database folds by itself. */
export function isAscii(text: string): boolean {
  return /^[ -~]*$/.test(text);
}
