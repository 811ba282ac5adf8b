import { header } from "./headers.js";

const VIEW = header("view");

/** Where an edit leads: what it made is selected, and the view that its button or form names is shown. */
export function startThen(session) {
  document.body.addEventListener("htmx:afterRequest", async ({ detail }) => {
    const { then, selectTouched } = detail.elt?.dataset ?? {};
    if (!detail.successful) return;
    if (selectTouched !== undefined) session.selectTouched();
    if (detail.requestConfig.headers[VIEW] !== session.headers[VIEW]) return; // its view was left meanwhile
    if (then && (await session.show(then))) session.selectTouched();
  });
}
