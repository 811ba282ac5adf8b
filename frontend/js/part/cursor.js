/**
 * The part by keyboard alone: a cursor of lane and grid place. Arrows move it, Enter sets or takes a hit, digits its
 * velocity; with Ctrl the arrows move the selected hits, with Alt they change velocities.
 */
const BIG = 8;
const STEP = 4;
const FINER = ["1/1", "1/2", "1/4", "1/8", "1/16", "1/32", "1/64"];

/** @returns {(event: KeyboardEvent) => boolean} whether the key was one of the editor's */
export function startCursor(canvas, editor, signal) {
  const { model } = editor;
  const says = document.getElementById("part-cursor");
  let held = []; // hits that Ctrl C took
  canvas.addEventListener("focus", () => show(true), { signal });
  canvas.addEventListener("blur", () => show(false), { signal });
  canvas.addEventListener("pointerdown", () => show(false), { signal });

  function show(isKeyed) {
    editor.isKeyed = isKeyed && canvas.matches(":focus-visible");
    if (isKeyed) editor.cursor ??= { tick: 0, lane: 0 };
    editor.repaint();
  }

  const hitHere = () => {
    const { tick, lane } = editor.cursor;
    const reach = Math.max(1, editor.spacing / 2);
    const near = editor.laneHits.between(lane, tick - reach, tick + reach);
    return near.sort((a, b) => Math.abs(a.tick - tick) - Math.abs(b.tick - tick))[0] ?? null;
  };

  const lastPlace = () => editor.stepBy(model.about.loopTicks, -1);

  function go(by, lanes) {
    let { tick, lane } = (editor.cursor ??= { tick: 0, lane: 0 });
    for (let n = 0; n < Math.abs(by); n++) tick = Math.min(editor.stepBy(tick, Math.sign(by)), lastPlace());
    goTo(tick, Math.max(0, Math.min(editor.lanes.length - 1, lane + lanes)));
  }

  function goTo(place, lane = editor.cursor?.lane ?? 0) {
    editor.isKeyed = true;
    editor.moveCursor(place, lane);
    editor.reveal(editor.cursor);
    const { bar, beat, tick } = model.time.placeOf(place);
    const hit = hitHere();
    says.textContent = `${editor.lanes[lane]?.name}, bar ${bar}, beat ${beat}${tick ? `, tick ${tick}` : ""}: ${hit ? `hit, velocity ${hit.velocity}` : "empty"}`;
    if (hit) editor.hear(hit.note, hit.velocity);
    editor.repaint();
  }

  function setOrTake() {
    const { tick, lane } = (editor.cursor ??= { tick: 0, lane: 0 });
    const hit = hitHere();
    if (hit) return model.edit("remove", { ids: [hit.id] });
    const { note } = editor.lanes[lane] ?? {};
    if (note === undefined || note === null) return editor.needsNote(lane);
    editor.hear(note, editor.lastVelocity);
    return model.edit("draw", { events: [[tick, note, editor.lastVelocity, 9, Math.max(1, Math.round(editor.spacing / 2))]] }, { selects: true });
  }

  const chosen = () => {
    if (model.selected.size) return model.selection;
    const hit = editor.cursor && hitHere();
    return hit ? [hit] : [];
  };
  const strike = (of) => {
    const hits = chosen();
    if (!hits.length) return;
    const velocities = hits.map((hit) => [hit.id, Math.min(127, Math.max(1, Math.round(of(hit.velocity))))]);
    editor.hear(hits[0].note, velocities[0][1]);
    model.edit("strike", { velocities });
  };
  const move = (by, lanes) => {
    const hits = chosen();
    if (!hits.length) return;
    const [{ tick }] = hits;
    let target = tick;
    for (let n = 0; n < Math.abs(by); n++) target = editor.stepBy(target, Math.sign(by));
    const notes = [...new Set(hits.map(({ note }) => note))].map((note) => [note, editor.noteBy(note, lanes)]);
    model.edit("move", { ids: hits.map(({ id }) => id), ticks: target - tick, notes });
    if (editor.cursor) go(by, lanes);
  };
  const ids = () => chosen().map(({ id }) => id);

  const plain = {
    ArrowLeft: () => go(-1, 0),
    ArrowRight: () => go(1, 0),
    ArrowUp: () => go(0, -1),
    ArrowDown: () => go(0, 1),
    PageDown: () => go(Math.max(1, Math.round((model.time.barAt(0).end - model.time.barAt(0).start) / editor.spacing)), 0),
    PageUp: () => go(-Math.max(1, Math.round((model.time.barAt(0).end - model.time.barAt(0).start) / editor.spacing)), 0),
    Home: () => goTo(0),
    End: () => goTo(lastPlace()),
    Enter: setOrTake,
    Delete: () => ids().length && model.edit("remove", { ids: ids() }),
    Backspace: () => ids().length && model.edit("remove", { ids: ids() }),
    Period: () => grid(1),
    Comma: () => grid(-1),
    KeyT: triplets,
    KeyI: () => model.selectAll("others"),
    Minus: () => editor.zoom(1.5),
    Equal: () => editor.zoom(1 / 1.5),
    NumpadAdd: () => editor.zoom(1 / 1.5),
    NumpadSubtract: () => editor.zoom(1.5),
    KeyH: () => {
      const shows = document.getElementById("stem-shows");
      shows.value = shows.value === "level" ? "velocity" : "level";
      shows.dispatchEvent(new Event("change"));
    },
  };
  const withAlt = {
    ArrowUp: (isBig) => strike((velocity) => velocity + (isBig ? BIG : STEP)),
    ArrowDown: (isBig) => strike((velocity) => velocity - (isBig ? BIG : STEP)),
    ArrowLeft: () => ids().length && model.edit("nudge", { ids: ids(), ticks: -1 }),
    ArrowRight: () => ids().length && model.edit("nudge", { ids: ids(), ticks: 1 }),
  };
  const withControl = {
    ArrowLeft: () => move(-1, 0),
    ArrowRight: () => move(1, 0),
    ArrowUp: () => move(0, -1),
    ArrowDown: () => move(0, 1),
    KeyA: () => model.selectAll("all"),
    KeyC: () => copy(),
    KeyX: () => {
      copy();
      if (held.length) model.edit("remove", { ids: ids() });
    },
    KeyV: () => paste(),
    KeyD: () => model.edit("duplicate", { ids: ids() }, { selects: true }),
  };

  function copy() {
    held = chosen().map((hit) => ({ ...hit }));
    if (held.length) editor.session.say(`${held.length} hit${held.length === 1 ? "" : "s"} copied; Ctrl V puts them at the ${isCursorShown() ? "cursor" : "playhead"}.`);
  }

  const isCursorShown = () => editor.isKeyed && Boolean(editor.cursor);

  /** At the playhead, or where the keyboard is; distances stay, from the beat in which the first of them stood. */
  function paste() {
    if (!held.length) return editor.session.say("There is nothing to paste. Select hits and press Ctrl C first.", true);
    const beat = model.time.beatTicks(held[0].tick);
    const start = Math.floor(held[0].tick / beat) * beat;
    const events = held.map(({ tick, note, velocity, channel, length, played }) => [tick, note, velocity, channel, length, played]);
    model.edit("paste", { events, start, at: isCursorShown() ? editor.cursor.tick : editor.part.start }, { selects: true });
  }

  function grid(by) {
    const base = editor.grid.replace(/[TQ.]$/, "");
    const at = FINER.indexOf(base);
    editor.setGrid(FINER[Math.min(FINER.length - 1, Math.max(0, at + by))]);
    editor.session.say(`Grid ${editor.grid}`);
  }

  function triplets() {
    const base = editor.grid.replace(/[TQ.]$/, "");
    const wanted = editor.grid.endsWith("T") ? base : `${base}T`;
    if (wanted in model.time.grids) editor.setGrid(wanted);
    editor.session.say(`Grid ${editor.grid}`);
  }

  return (event) => {
    if (!model.time) return false;
    const { code, key } = event;
    const isOnCanvas = document.activeElement === canvas;
    const isFree = isOnCanvas || document.activeElement === document.body;
    const isControl = event.ctrlKey || event.metaKey;
    if (isControl && code === "KeyZ") {
      document.getElementById(event.shiftKey ? "part-redo" : "part-undo").click();
      return true;
    }
    if (isControl && code === "KeyC" && String(getSelection())) return false; // text that is marked on the page
    if (isControl) return run(withControl[code], event); // on a button and on a tab too: they have no use for it
    if (!isFree) return false;
    if (key === "Escape" && (model.selected.size || editor.preview) && !editor.part.isPlaying) {
      editor.preview = null;
      model.select([]);
      return true;
    }
    if (event.altKey) return run(withAlt[code], event);
    if (code === "Digit0" && isOnCanvas && !event.shiftKey && !model.selected.size) return run(() => editor.fit(), event);
    if (/^Digit[1-9]$/.test(code) && isOnCanvas && !event.shiftKey) {
      const velocity = Math.round((Number(code.at(-1)) * 127) / 9);
      editor.lastVelocity = velocity;
      return run(() => strike(() => velocity), event);
    }
    if (key === "?" || (!isOnCanvas && /^(Arrow|Page|Home|End|Enter|Period|Comma)/.test(code))) return false;
    return run(plain[code], event);
  };

  function run(act, { shiftKey }) {
    if (!act) return false;
    act(shiftKey);
    return true;
  }
}
