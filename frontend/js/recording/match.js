/** A pad compared with its track: what was measured, with its evidence, each given to the pad only when pressed. */
import { allSent, post } from "../page/sending.js";

export function startMatch(editor, signal) {
  const list = document.getElementById("matches");
  const says = document.getElementById("match-says");
  let track = 0; // that was compared
  let asked = 0; // how often: an answer that another question has overtaken is not shown
  const url = (what) => `${editor.root.dataset.url}tracks/${track}/${what}/`;

  document.getElementById("match").addEventListener("click", compare, { signal });
  list.addEventListener("click", async ({ target }) => {
    const what = /** @type {HTMLElement} */ (target).closest?.("[data-give]")?.getAttribute("data-give");
    if (!what) return;
    await editor.session.post(url(`give/${what}`));
    if (editor.root.isConnected) compare();
  }, { signal }); // prettier-ignore

  async function compare() {
    track = editor.track.id;
    const number = ++asked;
    says.textContent = "Comparing…";
    await allSent(); // it may just have been given another pad
    const answer = await post(url("match"), {});
    const body = answer?.headers.get("Content-Type")?.includes("json") ? await answer.json() : null;
    const words = body?.pad ?? (answer ? await answer.text().catch(() => "") : "The server does not answer.");
    if (number !== asked) return;
    says.textContent = words;
    list.replaceChildren(...(body?.rows ?? []).map(row));
  }

  function clear() {
    track = 0;
    asked++;
    list.replaceChildren();
    says.textContent = "";
  }
  return { clear, get track() { return track; } }; // prettier-ignore
}

function row({ what, words, why, isSure }) {
  const item = document.createElement("li");
  const said = document.createElement("span");
  said.append(words);
  const evidence = document.createElement("small");
  evidence.textContent = isSure ? why : `△ ${why}`;
  const button = Object.assign(document.createElement("button"), { type: "button", className: "button small", textContent: "Give" });
  button.dataset.give = what;
  button.setAttribute("aria-label", `Give the pad: ${words}`);
  said.append(evidence);
  item.append(said, button);
  return item;
}
