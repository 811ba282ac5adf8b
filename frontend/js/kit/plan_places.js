/** Where a place of the floor plan is drawn, and back (dactyl/pictures/plan.py). Pure. */
export const SIZE = [1000, 560, 10]; // of the drawing: width, height, margin
const [ASIDE, ABOVE, ALL] = [60, 40, 130]; // of it that no piece's middle stands on: at each side, above, above and below

/** @param {number[]} place across −100…100, down 0…100 */
export const drawnAt = ([x, y]) => [SIZE[0] / 2 + (x * (SIZE[0] / 2 - ASIDE)) / 100, SIZE[2] + ABOVE + (y * (SIZE[1] - ALL)) / 100];

/** @param {number[]} point of the drawing */
export const placeAt = ([x, y]) => [inside(((x - SIZE[0] / 2) * 100) / (SIZE[0] / 2 - ASIDE), -100, 100), inside(((y - SIZE[2] - ABOVE) * 100) / (SIZE[1] - ALL), 0, 100)];

export const inside = (value, low, high) => Math.min(high, Math.max(low, value));
