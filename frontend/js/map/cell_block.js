/** Cells of a surface as rows and columns, counted from the lower left. Pure. */

/** All places of the rectangle between two. @param {number[]} places those that there are */
export function blockOf(places, from, to, columns) {
  const at = (place) => [Math.floor(place / columns), place % columns];
  const [[row, column], [otherRow, otherColumn]] = [at(from), at(to)];
  const isBetween = (value, one, other) => value >= Math.min(one, other) && value <= Math.max(one, other);
  return places.filter((place) => isBetween(at(place)[0], row, otherRow) && isBetween(at(place)[1], column, otherColumn));
}

/** Where the lower left corner of a block goes, of which the cell that was taken hold of is dropped on another. */
export function cornerOf(block, held, dropped, columns) {
  const low = Math.min(...block.map((place) => Math.floor(place / columns)));
  const left = Math.min(...block.map((place) => place % columns));
  return Math.max(0, dropped - (Math.floor(held / columns) - low) * columns - ((held % columns) - left));
}
