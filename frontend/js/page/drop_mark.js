/** @returns {(place: Element | null) => void} marks where what is dragged would be dropped, and no other place */
export function dropMark() {
  /** @type {Element | null} */ let over = null;
  return (place) => {
    if (over === place) return;
    over?.classList.remove("drop-here");
    place?.classList.add("drop-here");
    over = place;
  };
}
