// What is heard and kept while hands are busy: tones, spoken prompts, a screen that stays awake. Settings say which.

const TONES = { accepted: [[880, 0.06]], refused: [[220, 0.25]], lane: [[660, 0.1], [880, 0.1], [1175, 0.16]], over: [[880, 0.2], [0, 0.15], [880, 0.2], [0, 0.15], [880, 0.2]] };
const LOUD = 0.2;
const wanted = document.body.dataset;
let audio = null;
let lock = null;

// one of the tones by name, where the shop wants them; `always` rings whatever it wants
export function tone(name, always = false) {
  if (wanted.tones !== "yes" && !always) return;
  audio ??= new AudioContext();
  let at = audio.currentTime;
  for (const [hz, seconds] of TONES[name]) {
    if (hz) {
      const made = audio.createOscillator();
      const gain = audio.createGain();
      made.frequency.value = hz;
      gain.gain.value = LOUD;
      made.connect(gain).connect(audio.destination);
      made.start(at);
      made.stop(at + seconds);
    }
    at += seconds;
  }
}

// with the browser's own voice, where there is one
export function say(words) {
  if (wanted.spoken !== "yes" || !globalThis.speechSynthesis) return;
  speechSynthesis.cancel();
  speechSynthesis.speak(new SpeechSynthesisUtterance(words));
}

export async function awake(on) {
  if (!on) { lock?.release(); lock = null; return; }
  lock = await navigator.wakeLock?.request("screen").catch(() => null) ?? null;
}
// the lock is lost while another page is looked at
document.addEventListener("visibilitychange", () => { if (lock && document.visibilityState === "visible") awake(true); });
