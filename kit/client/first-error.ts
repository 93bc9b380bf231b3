// The first error gets the focus, so that it is read out and can be reached with one key.
document.querySelector<HTMLElement>("#errors")?.focus();

export {};
