// Records one note: AudioWorklet to PCM, sent as a WAV to the server, which finds the pitch. The needle is only a guide.

import { canListen, microphone, why } from "/static/js/microphone.js";
import { post } from "/static/js/post.js";

const panel = document.getElementById("listen");
const button = document.getElementById("record");
const form = document.getElementById("sound");
const said = document.getElementById("listen-said");
const needle = document.getElementById("needle");
const SECONDS = 2.6;
const QUIET = 0.004; // about -48 dB: below it the note has not begun
const WAIT = 12; // seconds until it stops listening for a note

let busy = false;
const tell = (text, wrong = false) => { said.textContent = text; said.classList.toggle("wrong-words", wrong); };

function wav(samples, rate) {
  const bytes = new DataView(new ArrayBuffer(44 + samples.length * 2));
  const text = (at, word) => [...word].forEach((c, i) => bytes.setUint8(at + i, c.charCodeAt(0)));
  text(0, "RIFF"); bytes.setUint32(4, 36 + samples.length * 2, true); text(8, "WAVEfmt ");
  bytes.setUint32(16, 16, true); bytes.setUint16(20, 1, true); bytes.setUint16(22, 1, true);
  bytes.setUint32(24, rate, true); bytes.setUint32(28, rate * 2, true); bytes.setUint16(32, 2, true); bytes.setUint16(34, 16, true);
  text(36, "data"); bytes.setUint32(40, samples.length * 2, true);
  samples.forEach((v, i) => bytes.setInt16(44 + i * 2, Math.round(Math.max(-1, Math.min(1, v)) * 32767), true));
  return new Blob([bytes], { type: "audio/wav" });
}

// a rough guide by autocorrelation near the aim; the server's figure is the one that counts
function guide(block, rate, aim) {
  const middle = rate / aim;
  let best = 0;
  let most = -Infinity;
  const value = (lag) => { let sum = 0; for (let i = 0; i + lag < block.length; i += 1) sum += block[i] * block[i + lag]; return sum; };
  for (let lag = Math.max(2, Math.floor(middle * 0.94)); lag <= Math.ceil(middle * 1.06); lag += 1) {
    const sum = value(lag);
    if (sum > most) { most = sum; best = lag; }
  }
  const [a, b, c] = [value(best - 1), most, value(best + 1)];
  const lag = best + 0.5 * (a - c) / (a - 2 * b + c || 1);
  return 1200 * Math.log2(rate / lag / aim);
}

async function listen() {
  if (busy) return;
  busy = true;
  button.disabled = true;
  let mike = null;
  try {
    mike = await microphone(panel.dataset.worklet);
    const { rate } = mike;
    const aim = Number(panel.querySelector("h2").textContent.match(/([\d.]+) Hz/)?.[1]);
    tell("Listening: play the note.");
    const samples = await new Promise((resolve, reject) => {
      const found = [];
      let before = [];
      let waited = 0;
      let started = false;
      mike.heard = (data) => {
        if (!started) {
          waited += data.length;
          before = [...before.slice(-3), data];
          if (data.some((v) => Math.abs(v) > QUIET)) { started = true; before.forEach((block) => found.push(...block)); tell("Recording."); }
          else if (waited > WAIT * rate) reject(new Error("Silence: nothing was heard. Check that the microphone is on and near."));
          return;
        }
        for (const v of data) found.push(v);
        if (aim && found.length > 8192 && found.length % 2048 < data.length) {
          const off = Math.max(-50, Math.min(50, guide(found.slice(-4096), rate, aim)));
          needle.setAttribute("transform", `translate(${(off * 3.2).toFixed(1)} 0)`);
        }
        if (found.length >= SECONDS * rate) resolve(found);
      };
    });
    await send(wav(samples, rate));
  } catch (error) {
    tell(why(error), true);
  } finally {
    await mike?.stop();
    busy = false;
    button.disabled = false;
  }
}

async function send(blob) {
  tell("Working it out.");
  const body = new FormData(form);
  body.set("wav", blob, "note.wav");
  const { ok, status, reply } = await post(panel.dataset.post, body);
  if (status === 0) throw new Error("The server does not answer: record it again.");
  if (!ok) throw new Error(reply.error + (reply.advice ? ` ${reply.advice}` : ""));
  const swing = reply.vibrato ? ` Its centre: it swings ${reply.vibrato} cents to either side.` : "";
  tell(`${reply.hz} Hz, ${reply.off} cents off ${reply.note}. Kept.${swing}`);
  location.assign(reply.href);
}

if (button && canListen()) {
  button.hidden = false;
  button.addEventListener("click", listen);
  document.addEventListener("keydown", (event) => {
    if (event.key === "Enter" && event.target === document.body) { event.preventDefault(); listen(); }
  });
} else if (button) {
  tell("This browser gives a page the microphone only over https or on this machine: choose a WAV file.");
}
