/** What packages with binaries have to be for, such as `linux-x64-glibc`. */
export function platformHere(): string {
  const { platform, arch } = process;
  if (platform !== "linux") return `${platform}-${arch}`;
  const { header } = process.report.getReport() as { header: { glibcVersionRuntime?: string } };
  return `${platform}-${arch}-${header.glibcVersionRuntime ? "glibc" : "musl"}`;
}
