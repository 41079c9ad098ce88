// The microphone as it is, without what a browser does to speech: samples as they come, and how to stop it.

const WHY = {
  NotAllowedError: "The browser may not use the microphone: allow it for this page, or choose a recording note by note.",
  NotFoundError: "No microphone is found: plug one in, or choose a recording note by note.",
};

export const canListen = () => Boolean(navigator.mediaDevices?.getUserMedia && window.AudioWorkletNode);
export const why = (error) => WHY[error.name] ?? error.message;

// Opens it; `heard` is given every block of samples once it is set. Raises what the browser says, for `why`.
export async function microphone(worklet) {
  const stream = await navigator.mediaDevices.getUserMedia({ audio: { echoCancellation: false, noiseSuppression: false, autoGainControl: false } });
  const audio = new AudioContext();
  const mike = { rate: audio.sampleRate, heard: () => {} };
  mike.stop = () => {
    mike.heard = () => {};
    stream.getTracks().forEach((track) => track.stop());
    return audio.close();
  };
  try {
    await audio.audioWorklet.addModule(worklet);
  } catch (error) {
    mike.stop();
    throw error;
  }
  const capture = new AudioWorkletNode(audio, "capture", { numberOfOutputs: 0 });
  capture.port.onmessage = ({ data }) => mike.heard(data);
  audio.createMediaStreamSource(stream).connect(capture);
  return mike;
}
