/**
 * Live outputs: each output to channels of the device, the click to its own; another device where the browser knows how. What
 * is chosen belongs to this browser, not to the kit. A stand-in of eight channels plays on any device and shows what each would get.
 */
import { fitting, MAIN, named, offered, routeOf } from "../sound/routes.js";

const STAND_IN = "stand-in";
const STAND_IN_CHANNELS = 8;
const KEPT = "live-outputs";
const FLOOR_DB = -60;
const FALL_DB = 1.6;

export function startLive(session, engine) {
  const read = () => ({ device: "", click: "", of: {}, ...JSON.parse(localStorage.getItem(KEPT) ?? "{}") }); // of: kit -> key of an output -> channels
  let kept = read();
  const chosen = () => (kept.of[session.kit] ??= {});
  let names = [];
  let keys = []; // of the outputs, in the order of the names: a route follows its output when it is renamed
  let channels = 2;
  let levels = [];
  let devices = [];
  /** Another tab may have chosen meanwhile, for another kit: only what was chosen here is written. @param {() => void} choose changes `kept` */
  function keep(choose) {
    kept = read();
    choose();
    localStorage.setItem(KEPT, JSON.stringify(kept));
  }
  window.addEventListener("storage", ({ key }) => {
    if (key !== KEPT) return;
    kept = read();
    apply();
  });
  const byId = (id) => document.getElementById(id);

  engine.addEventListener("playbook", ({ detail }) => {
    names = detail.book.outputs.map(({ name }) => name);
    keys = detail.book.outputs.map(({ key, name }) => String(key ?? name));
    const own = kept.of[session.kit] ?? {};
    const byName = names.filter((name, n) => own[name] && name !== keys[n]);
    if (byName.length) keep(() => byName.forEach((name) => { chosen()[keys[names.indexOf(name)]] = chosen()[name]; delete chosen()[name]; })); // prettier-ignore
    apply();
  });

  /** Choose the device that was chosen before; where it is refused or gone, Main plays on. */
  async function choose(device) {
    keep(() => (kept.device = device));
    const problem = await engine.setSink(device === STAND_IN ? "" : device);
    if (problem) {
      session.say(`${problem} All is heard by the usual device.`, true);
      keep(() => (kept.device = ""));
      await engine.setSink("");
    }
    apply();
  }

  /** Tell the audio thread which output leaves where. */
  function apply() {
    const isStandIn = kept.device === STAND_IN;
    channels = isStandIn ? STAND_IN_CHANNELS : engine.deviceChannels;
    const isMany = channels > 2;
    const own = kept.of[session.kit] ?? {};
    const routes = isMany ? fitting(keys, own, channels) : null;
    const lost = names.filter((_, n) => own[keys[n]] && !routes?.[n]);
    engine.setRoutes(routes && { outputs: routes, click: fitting(["click"], { click: kept.click }, channels)[0] ?? MAIN, channels, isStandIn });
    if (lost.length && view() && lost.join() !== said) session.say(`${lost.join(", ")} leave${lost.length > 1 ? "" : "s"} with Main: this device has ${channels} channels.`);
    said = lost.join();
    show();
  }
  let said = "";

  const view = () => byId("the-desk");

  /** What is chosen, in the desk that is drawn. */
  function show() {
    if (!view()) return;
    const menu = byId("live-device");
    const option = (value, text) => Object.assign(document.createElement("option"), { value, textContent: text });
    menu.replaceChildren(option("", "the usual device"), ...devices.map(({ deviceId, label }, n) => option(deviceId, label || `device ${n + 1}`)), option(STAND_IN, "stand-in of 8 channels"));
    if (![...menu.options].some(({ value }) => value === kept.device)) menu.append(option(kept.device, "the device chosen before"));
    menu.value = kept.device;
    const isMany = channels > 2;
    byId("live-says").textContent = isMany
      ? `${channels} channels. Choose for each output, in its channel on the right, where it leaves.`
      : "This device has two channels: all outputs leave together. Choose another device, or the stand-in, to part them.";
    const list = (select, value) => {
      select.replaceChildren(option("", "with the main mix"), ...(isMany ? offered(channels).map((route) => option(named(route), named(route))) : []));
      const wanted = routeOf(value) ? value : "";
      if (wanted && ![...select.options].some((one) => one.value === wanted)) select.append(option(wanted, `${wanted} (not on this device)`));
      select.value = wanted;
      select.disabled = !isMany;
    };
    const own = kept.of[session.kit] ?? {};
    for (const select of view().querySelectorAll("select[data-live-of]")) list(select, own[select.dataset.liveOf]);
    list(byId("live-click"), kept.click);
    for (const place of view().querySelectorAll("[data-leaves-by]")) {
      const route = isMany && routeOf(own[place.dataset.leavesBy]);
      place.textContent = route && route[0] + route[1] <= channels ? `→ ${named(route)}` : "";
    }
    byId("live-meters").replaceChildren(...(isMany ? Array.from({ length: channels }, (_, n) => meter(n + 1)) : []));
    levels = Array.from({ length: channels }, () => FLOOR_DB);
    byId("live-count").textContent = isMany ? ` ${channels}` : "";
  }
  session.addEventListener("marked", () => view() && !view().dataset.hasLive && ((view().dataset.hasLive = "1"), show()));

  function meter(number) {
    const row = document.createElement("li");
    row.innerHTML = `<span class="mono">${number}</span><svg viewBox="0 0 60 6" preserveAspectRatio="none" aria-hidden="true"><path class="under" d="M0 3H60"/><path class="level" d="M0 3H0"/></svg>`;
    return row;
  }
  engine.addEventListener("report", ({ detail }) => {
    const box = byId("live-meters");
    if (!detail.channels || !box) return;
    detail.channels.forEach((peak, n) => {
      const db = peak > 0 ? Math.max(FLOOR_DB, 20 * Math.log10(peak)) : FLOOR_DB;
      levels[n] = Math.max(db, levels[n] - FALL_DB);
      box.children[n]?.querySelector(".level").setAttribute("d", `M0 3H${Math.min(60, levels[n] - FLOOR_DB).toFixed(1)}`);
    });
  });

  document.addEventListener("change", ({ target }) => {
    const select = /** @type {HTMLSelectElement} */ (target);
    if (select.id === "live-device") return void choose(select.value);
    if (select.id === "live-click") keep(() => (kept.click = select.value));
    else if (select.dataset?.liveOf !== undefined) keep(() => (chosen()[select.dataset.liveOf] = select.value));
    else return;
    apply();
  });

  /** Devices by name, where the browser tells; one that was pulled out is left. */
  async function look() {
    const all = (await navigator.mediaDevices?.enumerateDevices?.().catch(() => [])) ?? [];
    devices = engine.canChooseSink ? all.filter(({ kind, deviceId }) => kind === "audiooutput" && deviceId && deviceId !== "default") : [];
    if (kept.device && kept.device !== STAND_IN && devices.length && !devices.some(({ deviceId }) => deviceId === kept.device)) {
      session.say("The device that was chosen is gone. All is heard by the usual device.", true);
      await choose("");
    } else show();
  }
  navigator.mediaDevices?.addEventListener?.("devicechange", look);
  engine.ready.then(look).then(() => kept.device && choose(kept.device));
}
