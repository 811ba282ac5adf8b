/** MIDI devices through Web MIDI, asked for by a button; every outcome has a sentence. */
export function startMidi(input) {
  const button = document.getElementById("midi-connect");
  const state = document.getElementById("midi-state");
  const say = (text) => (state.textContent = text);

  button.addEventListener("click", async () => {
    if (!navigator.requestMIDIAccess) return say("This browser knows no MIDI; the practice controller below does the same.");
    say("Asking…");
    try {
      const access = await navigator.requestMIDIAccess();
      const listen = () => {
        const devices = [...access.inputs.values()].filter((device) => device.state !== "disconnected");
        for (const device of devices) device.onmidimessage = ({ data, timeStamp }) => input.midi(data, device.name, timeStamp || undefined);
        say(devices.length ? `Listening to ${devices.map((device) => device.name).join(", ")}` : "No MIDI device is connected; plug one in, it is found by itself.");
      };
      access.onstatechange = listen;
      listen();
    } catch (problem) {
      const isRefused = problem.name === "NotAllowedError" || problem.name === "SecurityError";
      say(isRefused ? "MIDI was refused; allow it for this page in the browser's settings, then connect again." : `MIDI failed: ${problem.message}. Reconnect the device, then try again.`);
    }
  });
}
