// The microphone of the device that shows this page: how quiet the room is to it, and how loud a plucked note.

import { canListen, microphone, why } from "/static/js/microphone.js";

const panel = document.querySelector("[data-microphone]");
const button = panel.querySelector("button");
const meter = panel.querySelector("meter");
const PIECE = 0.1; // seconds
const CLIPS = 0.98;
const APART = 20; // dB between the room and a note, that it can be told by
let stop = null;

const tell = (text, wrong = false) => { panel.querySelector("[data-says]").textContent = text; panel.querySelector("[data-says]").classList.toggle("wrong-words", wrong); };
const inDb = (level) => Math.round(20 * Math.log10(level + 1e-6));

function hear(mike) {
  let [peak, power, count, quiet, loud] = [0, 0, 0, Infinity, 0];
  mike.heard = (samples) => {
    for (const v of samples) { peak = Math.max(peak, Math.abs(v)); power += v * v; }
    count += samples.length;
    if (count < PIECE * mike.rate) return;
    const level = Math.sqrt(power / count);
    meter.value = Math.sqrt(peak);
    [quiet, loud] = [Math.min(quiet, level), Math.max(loud, level)];
    const said = `The room is at ${inDb(quiet)} dB, the loudest at ${inDb(loud)} dB of full scale.`;
    if (peak >= CLIPS) tell(`${said} It runs into full scale: turn the input down, or play softer.`, true);
    else if (inDb(loud) - inDb(quiet) < APART) tell(`${said} Pluck a note near it.`);
    else tell(`${said} A note can be told from the room.`);
    [peak, power, count] = [0, 0, 0];
  };
}

async function test() {
  if (stop) { stop(); return; }
  try {
    const mike = await microphone(panel.dataset.worklet);
    hear(mike);
    stop = () => { stop = null; mike.stop(); meter.value = 0; button.textContent = "Test it"; };
    button.textContent = "Stop";
  } catch (error) { tell(why(error), true); }
}

if (canListen()) button.addEventListener("click", test);
else { button.disabled = true; tell("This browser gives a page the microphone only over https or on this machine: see Second device in Settings."); }
