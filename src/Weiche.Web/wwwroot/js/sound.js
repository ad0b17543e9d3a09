// A plain voice for each stand-in that sounds, if a person asks for it: what it holds is what one hears.

export function startSound(live) {
  const bench = document.getElementById("bench");
  const voices = new Map();
  let audio = null;

  bench.addEventListener("click", (event) => {
    const button = event.target.closest("[data-sound]");
    if (!button) return;
    const standIn = button.closest("[data-heard]").dataset.heard;
    const on = button.getAttribute("aria-pressed") !== "true";
    button.setAttribute("aria-pressed", String(on));
    button.textContent = on ? "heard" : "hear it";
    audio ??= new AudioContext();
    if (on) voices.set(standIn, { tones: new Map(), bend: 0 });
    else {
      hold(voices.get(standIn), [], 0);
      voices.delete(standIn);
    }
  });

  live.onFrame((frame) => {
    for (const hearing of frame.hearings) {
      const voice = voices.get(hearing.standIn);
      if (voice) hold(voice, hearing.keys, hearing.bend);
    }
  });

  function hold(voice, keys, bend) {
    for (const [key, tone] of voice.tones) {
      if (keys.includes(key)) {
        tone.oscillator.detune.setTargetAtTime((bend / 8192) * 200, audio.currentTime, 0.01);
        continue;
      }
      tone.gain.gain.setTargetAtTime(0, audio.currentTime, 0.05);
      tone.oscillator.stop(audio.currentTime + 0.4);
      voice.tones.delete(key);
    }
    for (const key of keys) {
      if (voice.tones.has(key)) continue;
      const oscillator = new OscillatorNode(audio, {
        type: "triangle",
        frequency: 440 * 2 ** ((key - 69) / 12),
        detune: (bend / 8192) * 200,
      });
      const gain = new GainNode(audio, { gain: 0 });
      gain.gain.setTargetAtTime(0.08, audio.currentTime, 0.01);
      oscillator.connect(gain).connect(audio.destination);
      oscillator.start();
      voice.tones.set(key, { oscillator, gain });
    }
  }
}
