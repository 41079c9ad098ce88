// Strings that are none, for a bench of made-up data: they play the note that is asked for, and give its samples as a microphone does.

const RATE = 44100;
const HEADER = 44; // bytes of the WAV file before its samples of 16 bits
const BLOCK = 2048;
const TIMES = 5; // how much faster than a hand
const WRONG = [4, 9]; // so many notes into the pass another fret is played first

// `asked` gives the code of the note that is asked for, empty when there is none; `settled` ends when all that was heard is answered.
export function standIn(address, asked, settled, done, failed) {
  const mike = { rate: RATE, heard: () => {} };
  let on = true;
  let played = 0;
  mike.stop = () => { on = false; };
  const give = async (samples) => {
    for (let at = 0; on && at < samples.length; at += BLOCK) {
      mike.heard(samples.subarray(at, at + BLOCK));
      await new Promise((resolve) => setTimeout(resolve, 1000 * BLOCK / RATE / TIMES));
    }
  };
  const play = async (code, wrong) => {
    const answer = await fetch(address.replace("CODE", code) + (wrong ? "?wrong=1" : ""));
    if (!answer.ok) { done(); failed(); return; }
    await give(Float32Array.from(new Int16Array((await answer.arrayBuffer()).slice(HEADER)), (v) => v / 32768));
  };
  (async () => {
    await give(new Float32Array(RATE / 2));
    for (let code = asked(); on && code; code = asked()) {
      if (WRONG.includes(played)) { await play(code, true); await settled(); }
      await play(code, false);
      played += 1;
      await give(new Float32Array(RATE / 5));
      await settled();
    }
    if (on) done();
  })();
  return mike;
}
