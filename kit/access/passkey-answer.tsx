/** Where the browser puts what a passkey answered, and where it says what went wrong. */
export function PasskeyAnswer() {
  return (
    <>
      <input type="hidden" name="answer" value="" />
      <p class="text-danger" role="alert" data-passkey-problem hidden />
    </>
  );
}
