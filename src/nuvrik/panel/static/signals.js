// What is to be heard and felt: the link that is lost, a battery that is low, a cue. Never the only sign, and
// off in Settings.

const LOSS_MS = 2000;
const BATTERY_MS = 30_000;
const QUIET_MS = 1200;
const HIGH_HZ = 1320;

export class Signals {
  constructor() {
    this.sounds = this.shakes = true;
    this.lostAt = this.lowAt = this.quietUntil = -Infinity;
    this.out = null;
  }

  /** A browser lets a page sound only after somebody has touched it. */
  wake() {
    this.out ??= new AudioContext();
    this.out.resume?.();
  }

  /** Tones one after the other: each a frequency and how long. */
  play(tones) {
    if (!this.sounds || !this.out) return;
    let at = this.out.currentTime;
    for (const [hz, seconds] of tones) {
      if (hz) {
        const tone = this.out.createOscillator();
        const volume = this.out.createGain();
        tone.frequency.value = hz;
        volume.gain.value = 0.1;
        tone.connect(volume).connect(this.out.destination);
        tone.start(at);
        tone.stop(at + seconds);
      }
      at += seconds;
    }
  }

  shake(pattern) {
    if (this.shakes) navigator.vibrate?.(pattern);
  }

  /** Two falling tones while the link is lost that was armed. */
  link(now, lost) {
    if (!lost) {
      this.lostAt = -Infinity;
      return;
    }
    if (now - this.lostAt < LOSS_MS) return;
    this.lostAt = now;
    this.quietUntil = now + QUIET_MS;
    this.play([[740, 0.2], [440, 0.3]]);
    this.shake([200, 100, 200]);
  }

  /** Three short ones, once and then every half minute, while the battery is low. */
  battery(now, low) {
    if (!low) {
      this.lowAt = -Infinity;
      return;
    }
    if (now - this.lowAt < BATTERY_MS) return;
    this.lowAt = now;
    this.quietUntil = now + QUIET_MS;
    this.play([[520, 0.1], [0, 0.08], [520, 0.1], [0, 0.08], [520, 0.1]]);
    this.shake([80, 80, 80]);
  }

  /** A cue is higher, and waits for both. */
  cue() {
    if (performance.now() >= this.quietUntil) this.play([[HIGH_HZ, 0.05]]);
  }
}
