/** A request that another takes over from is no error; htmx would note each as two in the browser's console. */
export function startQuietAborts() {
  document.addEventListener("htmx:beforeSend", (event) => {
    const { xhr } = /** @type {CustomEvent} */ (event).detail;
    const { onabort } = xhr;
    xhr.onabort = (aborted) => quietly(() => onabort?.call(xhr, aborted));
  });
}

function quietly(act) {
  const { error } = console;
  console.error = () => {};
  try {
    act();
  } finally {
    console.error = error;
  }
}
