/* global AudioWorkletProcessor, registerProcessor */
// Passes on what the microphone gives, in blocks. It runs beside the page (an AudioWorklet), so that nothing is lost.
class Recorder extends AudioWorkletProcessor {
  process(inputs) {
    const channel = inputs[0][0];
    if (channel) this.port.postMessage(channel.slice());
    return true;
  }
}
registerProcessor('recorder', Recorder);
