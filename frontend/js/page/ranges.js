/** Selecting with Shift, in the order in which things stand. Pure. */

/** All from one to another, both with it; the other alone where an edit took the one away. @template T @param {T[]} order @param {T} from @param {T} to */
export function between(order, from, to) {
  const [low, high] = [order.indexOf(from), order.indexOf(to)].sort((a, b) => a - b);
  return low < 0 ? [to] : order.slice(low, high + 1);
}

/** The same, where the one that was selected first stays first. @template T @param {T[]} order @param {{ first: T, from: T, to: T }} ends */
export function betweenWithFirst(order, { first, from, to }) {
  const some = between(order, from, to);
  return order.includes(from) ? [first, ...some.filter((one) => one !== first)] : some;
}
