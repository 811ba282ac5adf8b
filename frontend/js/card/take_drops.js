/** Takes dragged to layers and pads, and chips of a proposal to its layers or out of it. */
import { dropMark } from "../page/drop_mark.js";
import { changeProposal, chosenWith, placesOf } from "./chips.js";
import { selectTake, takeUrl } from "./takes.js";

const TAKES_TYPE = "application/x-dactyl-takes";
const CHIPS_TYPE = "application/x-dactyl-chips";
const TAKES_GO_TO = "#card .take[data-take], #card li[data-layer], .row[data-pad], .pad[data-pad]";
const CHIPS_GO_TO = "[data-layer-place], .left-over";
const LAST = "1000000"; // place in a layer, behind all

export function startTakeDrops(session) {
  const showOver = dropMark();

  document.addEventListener("dragstart", ({ target, dataTransfer }) => {
    const take = target.closest?.(".take[data-take]");
    if (take) {
      if (!session.takes.includes(Number(take.dataset.take))) selectTake(session, take);
      dataTransfer.setData(TAKES_TYPE, take.dataset.take);
      dataTransfer.effectAllowed = "copyMove";
    }
    const chip = target.closest?.(".chip");
    if (chip) dataTransfer.setData(CHIPS_TYPE, placesOf(chosenWith(chip)));
  });
  document.addEventListener("dragover", (event) => {
    const place = goalOf(event);
    if (place) event.preventDefault();
    showOver(place);
  });
  document.addEventListener("dragend", () => showOver(null));
  document.addEventListener("drop", (event) => {
    const place = goalOf(event);
    showOver(null);
    if (!place) return;
    event.preventDefault();
    const { dataTransfer, ctrlKey, altKey } = event;
    const take = dataTransfer.getData(TAKES_TYPE);
    const chips = dataTransfer.getData(CHIPS_TYPE);
    if (take) dropTakes(take, place, ctrlKey || altKey ? "1" : "");
    else if (chips) dropChips(chips, place);
  });

  function dropTakes(take, place, copy) {
    const { pad, layer, position = LAST } = place.dataset;
    const goal = place.matches(".row, .pad") ? { pad } : { layer, position };
    session.post(takeUrl(session, take, "move"), { ...goal, copy });
  }
}

function goalOf({ target, dataTransfer: { types } }) {
  if (types.includes(TAKES_TYPE)) return target.closest?.(TAKES_GO_TO) ?? null;
  if (types.includes(CHIPS_TYPE)) return target.closest?.(CHIPS_GO_TO) ?? null;
  return null;
}

function dropChips(takes, place) {
  if (place.matches(".left-over")) return changeProposal("leave-out", { takes });
  const [pad, layer] = place.dataset.layerPlace.split(".");
  return changeProposal("move", { takes, pad, layer });
}
