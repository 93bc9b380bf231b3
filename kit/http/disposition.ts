/** Says what a file is called, in the way of RFC 6266: plainly, and with all of its letters. */
export function disposition(how: "inline" | "attachment", name: string): string {
  const plain = name.replace(/[^ -~]|["\\%]/g, "_");
  const whole = encodeURIComponent(name).replace(
    /['()*]/g,
    (found) => `%${found.charCodeAt(0).toString(16)}`,
  );
  return `${how}; filename="${plain}"; filename*=UTF-8''${whole}`;
}
