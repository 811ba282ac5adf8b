/** Try samples in place: arrow keys walk the shelf through the open take; Enter keeps, Escape gives back what was there. */
export function startTry(session, engine, shelf) {
  let auditioned = null; // { take, pad, sample }

  const begin = () => {
    const box = document.getElementById("one-take");
    if (!box) return session.say("Choose a take on the card first.", true);
    auditioned = { take: Number(box.dataset.take), pad: session.selected, number: Number(box.dataset.number), sample: null };
    document.body.classList.add("trying");
    shelf.focusList();
    session.say("Arrow keys walk the shelf through this take; Enter keeps, Escape gives back what was there.");
  };

  const end = () => {
    auditioned = null;
    engine.auditioned = "";
    document.body.classList.remove("trying");
  };

  const hearAuditioned = async ({ take, pad, number }, sample) => {
    const isWanted = () => auditioned?.take === take && auditioned.sample === sample; // not walked on
    engine.auditioned = `${take}:${sample}`;
    await engine.loadPlaybook([pad]);
    const isHere = await engine.arrival(pad, number); // however late it comes: another take would stand in for it
    if (isHere && isWanted() && !engine.isPartPlaying) engine.hearTake(pad, number);
  };

  const keep = async (take, pad, sample) => {
    await session.post(`/kits/${session.kit}/takes/${take}/keep/`, { sample: String(sample) });
    engine.loadPlaybook([pad]); // kept or refused: what was auditioned is heard no longer
  };

  shelf.onWalk((sample) => {
    if (!auditioned) return false;
    auditioned.sample = sample;
    hearAuditioned(auditioned, sample);
    return true;
  });

  document.addEventListener("click", ({ target }) => target.closest?.("[data-try]") && begin());

  return {
    begin,
    /** Enter and Escape while trying; true where one was used. */
    key(event) {
      if (!auditioned) return false;
      const { take, pad, sample } = auditioned;
      if (event.key === "Enter" && sample) {
        end();
        keep(take, pad, sample);
      } else if (event.key === "Escape") {
        end();
        engine.loadPlaybook([pad]);
        session.say("Given back.");
      } else return false;
      return true;
    },
  };
}
