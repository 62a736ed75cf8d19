// Plays passes over a phrase at any speed, in the audio thread: overlap-add by waveform similarity (W. Verhelst,
// M. Roelands, ICASSP 1993) over a map that runs one to one around every attack, so that attacks stay sharp.
"use strict";

const HOP = 512;
const SEARCH = 320;
const BEFORE_ATTACK = HOP + 128;
const AFTER_ATTACK = 1100;
const EDGE_FADE = 96;
const CLICK_LENGTH = 1300;
const REPORT_EVERY = 512;

const WINDOW = new Float32Array(2 * HOP);
for (let k = 0; k < 2 * HOP; k += 1) WINDOW[k] = 0.5 - 0.5 * Math.cos((Math.PI * k) / HOP);

// Points of a map from output to input samples: rising, exactly on time at each attack that is kept.
function mapPass(start, end, speed, attacks) {
  const ins = [start];
  const outs = [0];
  const kept = [];
  let last = -1e9;
  for (const attack of attacks) {
    const inside = attack > start + BEFORE_ATTACK && attack < end - AFTER_ATTACK;
    if (!inside || attack - last < 2 * (BEFORE_ATTACK + AFTER_ATTACK)) continue;
    kept.push(attack);
    last = attack;
    const onTime = (attack - start) / speed;
    ins.push(attack - BEFORE_ATTACK, attack + AFTER_ATTACK);
    outs.push(onTime - BEFORE_ATTACK, onTime + AFTER_ATTACK);
  }
  ins.push(end);
  outs.push(Math.round((end - start) / speed));
  for (let k = 1; k < outs.length; k += 1) outs[k] = Math.max(outs[k], outs[k - 1]);
  return { start, end, speed, ins, outs, kept, length: outs[outs.length - 1] };
}

function between(value, from, to) {
  let low = 0;
  let high = from.length - 1;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (from[middle] <= value) low = middle;
    else high = middle;
  }
  const span = from[high] - from[low];
  const part = span > 0 ? Math.min(Math.max((value - from[low]) / span, 0), 1) : 0;
  return to[low] + part * (to[high] - to[low]);
}

const toInput = (plan, out) => between(out, plan.outs, plan.ins);
const toOutput = (plan, position) => between(position, plan.ins, plan.outs);

function spares(plan, position) {
  return plan.kept.some((a) => position >= a - BEFORE_ATTACK && position <= a + AFTER_ATTACK);
}

// One pass over a plan, rendered in blocks; `read(start, count)` gives samples, silence outside.
class Pass {
  constructor(read, plan) {
    this.read = read;
    this.plan = plan;
    this.done = 0;
    this.centre = 0;
    this.grainAt = null;
    this.tail = new Float32Array(HOP);
    this.ready = new Float32Array(HOP);
    this.used = HOP;
    if (plan.speed !== 1) this.addGrain();
    this.used = HOP; // the first half of the first grain lies before the start
  }

  get left() {
    return this.plan.length - this.done;
  }

  next() {
    let value;
    if (this.plan.speed === 1) {
      value = this.read.one(this.plan.start + this.done);
    } else {
      if (this.used === HOP) this.addGrain();
      value = this.ready[this.used];
      this.used += 1;
    }
    const rise = Math.min(this.done + 1, this.plan.length - this.done) / EDGE_FADE;
    this.done += 1;
    return rise < 1 ? value * rise : value;
  }

  addGrain() {
    let target = Math.round(toInput(this.plan, this.centre));
    if (this.grainAt !== null && !spares(this.plan, target)) {
      target = this.bestNear(target, this.grainAt + HOP);
    }
    const grain = this.read.many(target - HOP, 2 * HOP);
    for (let k = 0; k < HOP; k += 1) {
      this.ready[k] = this.tail[k] + grain[k] * WINDOW[k];
      this.tail[k] = grain[HOP + k] * WINDOW[HOP + k];
    }
    this.grainAt = target;
    this.centre += HOP;
    this.used = 0;
  }

  // The grain near `target` whose first half looks most like what would have followed.
  bestNear(target, natural) {
    if (Math.abs(target - natural) <= 1) return natural;
    const wanted = this.read.many(natural - HOP, HOP).slice();
    const pool = this.read.many(target - HOP - SEARCH, HOP + 2 * SEARCH);
    let energy = 0;
    for (let k = 0; k < HOP; k += 2) energy += wanted[k] * wanted[k];
    if (energy < 1e-7 * (HOP / 2)) return target;
    let best = target;
    let most = -Infinity;
    for (let shift = 0; shift <= 2 * SEARCH; shift += 4) {
      let score = 0;
      let norm = 0;
      for (let k = 0; k < HOP; k += 4) {
        const value = pool[shift + k];
        score += wanted[k] * value;
        norm += value * value;
      }
      const likeness = score / Math.sqrt(Math.max(norm * energy, 1e-12)) - 1e-5 * Math.abs(shift - SEARCH);
      if (likeness > most) {
        most = likeness;
        best = target + shift - SEARCH;
      }
    }
    return best;
  }
}

// What is read: the tab and the recording, mixed as the balance says.
class Mix {
  constructor() {
    this.channels = [new Float32Array(0), new Float32Array(0)];
    this.gains = [1, 0];
    this.block = new Float32Array(2 * (HOP + SEARCH));
  }

  one(at) {
    let value = 0;
    for (let c = 0; c < 2; c += 1) value += this.gains[c] * (this.channels[c][at] || 0);
    return value;
  }

  many(start, count) {
    for (let k = 0; k < count; k += 1) this.block[k] = this.one(start + k);
    return this.block;
  }
}

if (typeof AudioWorkletProcessor !== "undefined") {
  class Player extends AudioWorkletProcessor {
    constructor() {
      super();
      this.mix = new Mix();
      this.now = null; // the pass that plays
      this.wanted = null; // what was asked for: start, end, speed, loop, step
      this.beats = [];
      this.attacks = [];
      this.clicks = [];
      this.clicking = false;
      this.passes = 0;
      this.counting = [];
      this.since = 0;
      this.level = 1;
      this.port.onmessage = (event) => this.told(event.data);
    }

    told(message) {
      if (message.load) {
        this.now = null;
        this.mix.channels = message.load.channels;
        this.beats = message.load.beats;
        this.attacks = message.load.attacks;
      }
      if (message.gains) this.mix.gains = message.gains;
      if (message.level !== undefined) this.level = message.level;
      if (message.click !== undefined) this.clicking = message.click;
      if (message.play) this.play(message.play);
      if (message.speed !== undefined && this.wanted) this.change(message.speed);
      if (message.stop) this.now = null;
      if (message.stop) this.report(currentFrame);
    }

    play(wanted) {
      this.wanted = wanted;
      this.passes = 0;
      this.counting = (wanted.count || []).map(([at, strong]) => ({ at: currentFrame + at, strong }));
      this.wait = wanted.lead ? currentFrame + wanted.lead : 0;
      this.begin(wanted.from);
    }

    change(speed) {
      this.wanted.speed = speed;
      if (this.now) this.begin(Math.round(toInput(this.now.plan, this.now.done)));
    }

    begin(from) {
      const plan = mapPass(from, this.wanted.end, this.wanted.speed, this.attacks);
      this.now = new Pass(this.mix, plan);
      this.due = this.beats
        .filter(([at]) => at >= from && at < this.wanted.end)
        .map(([at, strong]) => ({ at: Math.round(toOutput(plan, at)), strong }));
    }

    ended(frame) {
      this.passes += 1;
      const { loop, step } = this.wanted;
      if (step && this.passes % step.every === 0) {
        this.wanted.speed = Math.min(this.wanted.speed + step.by, step.most);
      }
      this.port.postMessage({ pass: this.passes, frame, speed: this.wanted.speed });
      if (loop) this.begin(this.wanted.start);
      else this.now = null;
    }

    process(_, outputs) {
      const out = outputs[0];
      for (let k = 0; k < out[0].length; k += 1) {
        const frame = currentFrame + k;
        while (this.counting.length && this.counting[0].at <= frame) this.strike(this.counting.shift().strong);
        let value = 0;
        if (this.now && frame >= this.wait) {
          if (this.now.left <= 0) this.ended(frame);
        }
        if (this.now && frame >= this.wait) {
          while (this.due.length && this.due[0].at <= this.now.done) {
            const { strong } = this.due.shift();
            if (this.clicking) this.strike(strong);
          }
          value = this.now.next();
        }
        value = this.level * (value + this.clicked());
        for (const channel of out) channel[k] = value;
      }
      this.since += out[0].length;
      if (this.since >= REPORT_EVERY) {
        this.since = 0;
        this.report(currentFrame + out[0].length);
      }
      return true;
    }

    report(frame) {
      const at = this.now ? toInput(this.now.plan, this.now.done) : null;
      this.port.postMessage({ at, frame, waiting: this.now !== null && frame < this.wait });
    }

    strike(strong) {
      this.clicks.push({ age: 0, hertz: strong ? 1760 : 1320 });
    }

    clicked() {
      let value = 0;
      for (const click of this.clicks) {
        value += 0.35 * Math.exp(-click.age / 220) * Math.sin((2 * Math.PI * click.hertz * click.age) / sampleRate);
        click.age += 1;
      }
      if (this.clicks.length && this.clicks[0].age > CLICK_LENGTH) this.clicks.shift();
      return value;
    }
  }
  registerProcessor("passes", Player);
} else if (typeof module !== "undefined") {
  module.exports = { mapPass, toInput, toOutput, Pass, Mix, HOP };
}
