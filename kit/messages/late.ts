/** What is made when it is first asked for, and then kept: most of what a start could make, it doesn't need. */
export function late<Made>(make: () => Made): () => Made {
  let made: { value: Made } | undefined;
  return () => {
    made ??= { value: make() };
    return made.value;
  };
}
