// An alarm that is seen and heard until somebody silences it.
document.addEventListener("alpine:init", () => {
  window.Alpine.data("alarm", () => ({
    timer: 0,

    init() {
      const Sound = window.AudioContext || window.webkitAudioContext;
      if (!Sound) return;
      const sound = new Sound();
      const cry = () => {
        const tone = sound.createOscillator();
        const loud = sound.createGain();
        tone.frequency.value = 880;
        loud.gain.value = 0.2;
        tone.connect(loud).connect(sound.destination);
        tone.start();
        tone.stop(sound.currentTime + 0.4);
      };
      cry();
      this.timer = setInterval(cry, 1200);
      setTimeout(() => this.hush(), 120000);
    },

    hush() { clearInterval(this.timer); this.timer = 0; },
  }));
});
