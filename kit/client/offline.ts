// Pages that were seen are kept, so that they can be seen without a connection; not while the application is developed.

if (
  document.documentElement.dataset.offline !== undefined &&
  "serviceWorker" in navigator &&
  !document.querySelector("footer.development")
) {
  navigator.serviceWorker
    .register("/-/assets/worker.js", { scope: "/" })
    .catch((error) => console.warn(String(error)));
}

export {};
