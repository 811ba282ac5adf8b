import { Player } from "../../js/sound/player.js";
import { equal, test } from "../harness.js";

const pad = (id, take) => ({ id, gains: [[null]], regions: [], cutsItself: false, maxVoices: 8, limitFade: 0, take });
const book = (pads, notes, more = {}) => /** @type {any} */ ({ outputs: [], notes, pads, whole: false, ...more });

test("a kit that is flipped to comes in pieces, and this one is edited meanwhile", () => {
  const player = new Player();
  const hit = (note) => player.hit(0, note, 90).map((id) => /** @type {any} */ (player.pads.get(id)).take);
  player.setPlaybook(book([pad(1, "own")], { 38: [1] }, { whole: true }));
  for (const [n, id] of [7, 8].entries()) player.addKit("other", book([pad(id, `other ${id}`)], { 38: [7], 40: [8] }, { whole: n === 0, allNotes: true }));
  equal(hit(38), ["own"]);
  player.flip("other");
  equal([hit(38), hit(40)], [["other 7"], ["other 8"]]);
  player.setPlaybook(book([pad(1, "edited")], { 40: [1] }));
  equal(hit(40), ["other 8"], "what is heard stays");
  player.flip(null);
  equal([hit(38), hit(40)], [[], ["edited"]]);
  player.flip("gone");
  equal(hit(40), ["edited"]);
});
