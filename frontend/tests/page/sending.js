import { allSent, Sending, startSending } from "../../js/page/sending.js";
import { equal, settled, test } from "../harness.js";

startSending();

test("edits of a document go one after another, of two documents side by side, and what is asked of them goes behind", async () => {
  const log = [];
  const ask = (path, verb = "post") => {
    const event = new CustomEvent("htmx:confirm", { bubbles: true, cancelable: true, detail: { path, verb, issueRequest: (isSure) => log.push(`asked ${path} ${isSure}`) } });
    if (document.body.dispatchEvent(event)) log.push(`at once ${path}`);
  };
  const later = (word, isLost = false) => () => {
    log.push(`sent ${word}`);
    return new Promise((resolve, reject) => void setTimeout(() => (isLost ? reject(new Error(word)) : resolve(word)), 10));
  };
  const [part, recording] = [new Sending(), new Sending()];
  ask("/parts/1/bounce/");
  const answers = Promise.allSettled([part.next(later("first")), part.next(later("lost", true)), part.next(later("second")), recording.next(later("other"))]);
  ask("/recordings/of/1/2/make/");
  ask("/kits/1/rename/");
  ask("/parts/1/lanes/", "get");
  await settled(100);
  await allSent();
  await settled();
  ask("/parts/1/bounce/");
  equal((await answers).map((answer) => ("value" in answer ? answer.value : answer.reason.message)), ["first", "lost", "second", "other"]);
  equal(log, [
    "at once /parts/1/bounce/", "at once /kits/1/rename/", "at once /parts/1/lanes/", "sent first", "sent other", "sent lost", "sent second",
    "asked /recordings/of/1/2/make/ true", "at once /parts/1/bounce/",
  ]); // prettier-ignore
});
