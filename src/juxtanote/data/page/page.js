// The lesson page: plays what is inside it, and shows where in the tab that is. Nothing is fetched.
"use strict";

const lesson = JSON.parse(document.getElementById("lesson").textContent);
const RATE = lesson.rate;
const KEEP = "juxtanote:" + lesson.id;
const find = (name) => document.getElementById(name);
const settings = Object.assign(
  { phrase: 0, speed: lesson.speed, loop: true, click: false, count: true, balance: 0.5, step: 0, first: 0, last: -1 },
  recall(),
);
const state = { at: 0, frame: 0, playing: false, waiting: false, passes: [], lit: -1, ready: false, way: "worklet" };
let context = null;
let node = null;
let fallback = null;
let shown = -1;

function recall() {
  try {
    return JSON.parse(localStorage.getItem(KEEP)) || {};
  } catch {
    return {};
  }
}

function remember() {
  try {
    localStorage.setItem(KEEP, JSON.stringify(settings));
  } catch {
    // A page opened from a folder may have nowhere to keep things: it works all the same.
  }
}

function phrase() {
  return lesson.phrases[settings.phrase];
}

function say(text) {
  find("said").textContent = text;
}

// Sound

function bytesOf(text) {
  const raw = atob(text);
  const bytes = new Uint8Array(raw.length);
  for (let k = 0; k < raw.length; k += 1) bytes[k] = raw.charCodeAt(k);
  return bytes.buffer;
}

// What a coder put before the sound is taken away: the length that it should have is known.
async function decoded(name, length) {
  const held = find(name);
  if (!held) return new Float32Array(0);
  const buffer = await context.decodeAudioData(bytesOf(held.textContent.trim()));
  const samples = buffer.getChannelData(0);
  const extra = samples.length - length;
  const skip = extra >= lesson.delay ? lesson.delay : 0;
  return samples.slice(skip, skip + length);
}

async function prepare() {
  if (context) return;
  context = new AudioContext({ sampleRate: RATE });
  try {
    // A page that was opened from a folder may load a data address, but no object address, into the audio thread.
    await context.audioWorklet.addModule("data:text/javascript;charset=utf-8," + encodeURIComponent(find("stretch").textContent));
    node = new AudioWorkletNode(context, "passes", { numberOfInputs: 0, outputChannelCount: [2] });
    node.port.onmessage = (event) => reported(event.data);
    node.connect(context.destination);
  } catch (problem) {
    state.way = "element";
    say("This browser plays with its own stretching: attacks are softer, loops less exact.");
  }
}

async function load() {
  const own = settings.phrase;
  if (shown === own) return;
  const { length, beats, attacks } = phrase();
  if (state.way === "element") {
    fallback = ["tab", "recording"].map((kind) => elementOf(`${kind}-${own}`));
  } else {
    const channels = [await decoded(`tab-${own}`, length), await decoded(`recording-${own}`, length)];
    node.port.postMessage({ load: { channels, beats, attacks } });
  }
  shown = own;
  balance();
  node?.port.postMessage({ click: settings.click });
}

function elementOf(name) {
  const held = find(name);
  if (!held) return null;
  const sound = new Audio(URL.createObjectURL(new Blob([bytesOf(held.textContent.trim())], { type: "audio/mpeg" })));
  sound.preservesPitch = true;
  return sound;
}

function balance() {
  const both = lesson.recording ? settings.balance : 0;
  const gains = [Math.min(1, 2 * (1 - both)), Math.min(1, 2 * both)];
  node?.port.postMessage({ gains });
  fallback?.forEach((sound, k) => {
    if (sound) sound.volume = gains[k];
  });
}

function range() {
  const { bars, length } = phrase();
  const first = bars[settings.first] || bars[0];
  const last = bars[settings.last < 0 ? bars.length - 1 : settings.last] || bars[bars.length - 1];
  const start = settings.first > 0 ? first.start : 0;
  const end = settings.last >= 0 && settings.last < bars.length - 1 ? last.end : length;
  return end > start ? { start, end } : { start: 0, end: length };
}

async function play(from) {
  await prepare();
  await context.resume();
  await load();
  const { start, end } = range();
  const begin = from !== undefined && from >= start && from < end ? from : start;
  const step = settings.step ? { by: 0.05, every: settings.step, most: 1.25 } : null;
  const count = settings.count ? countIn(begin) : { count: [], lead: 0 };
  Object.assign(state, { playing: true, passes: [], at: begin });
  if (state.way === "element") playElements(begin, start, end);
  else node.port.postMessage({ play: { start, end, from: begin, speed: settings.speed, loop: settings.loop, step, ...count } });
  showPlaying();
}

function playElements(begin, start, end) {
  for (const sound of fallback.filter(Boolean)) {
    sound.currentTime = begin / RATE;
    sound.playbackRate = settings.speed;
    sound.play();
    sound.ontimeupdate = () => {
      if (sound.currentTime * RATE >= end && settings.loop) sound.currentTime = start / RATE;
      else if (sound.currentTime * RATE >= end) stop();
    };
  }
}

// A bar of clicks that ends where the sound begins, at the speed that is played.
function countIn(from) {
  const { beat, meter } = phrase();
  const gap = Math.round(beat / settings.speed);
  const count = Array.from({ length: meter }, (_, k) => [k * gap, k === 0]);
  return from === range().start ? { count, lead: meter * gap } : { count: [], lead: 0 };
}

function stop() {
  state.playing = false;
  node?.port.postMessage({ stop: true });
  fallback?.forEach((sound) => sound?.pause());
  showPlaying();
}

function reported(message) {
  if (message.pass !== undefined) {
    state.passes.push(message.frame);
    if (message.speed !== settings.speed) setSpeed(message.speed, true);
    if (!settings.loop) stop();
    return;
  }
  Object.assign(state, { frame: message.frame, waiting: message.waiting });
  if (message.at !== null) state.at = message.at;
}

// Showing

// Where the sound is that is heard now: what was reported, and the time since.
function heardAt() {
  if (state.way === "element") {
    const sound = fallback?.find(Boolean);
    return sound ? sound.currentTime * RATE : 0;
  }
  if (!state.playing || state.waiting || !context) return state.at;
  const late = context.outputLatency || 0;
  const since = (context.currentTime - late) * RATE - state.frame;
  return state.at + since * settings.speed;
}

function frame() {
  if (state.playing) light(heardAt());
  requestAnimationFrame(frame);
}

function light(at) {
  const { moments } = phrase();
  let index = -1;
  while (index + 1 < moments.length && moments[index + 1] <= at) index += 1;
  if (index !== state.lit || shown !== settings.phrase) {
    state.lit = index;
    document.querySelectorAll(".spot.on").forEach((spot) => spot.classList.remove("on"));
    const own = find(`phrase-${settings.phrase}`);
    own.querySelectorAll(`[data-k="${index}"]`).forEach((spot) => spot.classList.add("on"));
  }
  moveCursor(index, at);
}

function moveCursor(index, at) {
  const own = find(`phrase-${settings.phrase}`);
  for (const layout of ["wide", "narrow"]) {
    const spots = phrase().spots[layout];
    const here = spots[Math.max(index, 0)];
    const next = spots[index + 1];
    if (!here) continue;
    const [line, x] = here;
    const span = phrase().moments[index + 1] - phrase().moments[index];
    const part = next && next[0] === line && index >= 0 ? Math.min((at - phrase().moments[index]) / span, 1) : 0;
    const place = x + (part > 0 ? part * (next[1] - x) : 0);
    own.querySelectorAll(`.${layout} .cursor`).forEach((cursor, k) => {
      cursor.classList.toggle("on", k === line);
      if (k === line) cursor.setAttribute("transform", `translate(${place.toFixed(2)} 0)`);
    });
  }
}

function showPlaying() {
  find("play").textContent = state.playing ? "Stop" : "Play";
  find("play").setAttribute("aria-label", state.playing ? "Stop" : `Play phrase ${phrase().name}`);
}

function show() {
  document.querySelectorAll("section").forEach((section, k) => {
    section.classList.toggle("current", k === settings.phrase);
    section.querySelector("button").setAttribute("aria-current", k === settings.phrase ? "true" : "false");
  });
  for (const name of ["loop", "click", "count"]) find(name).setAttribute("aria-pressed", String(settings[name]));
  find("speed").value = Math.round(100 * settings.speed);
  find("speed-told").textContent = `${Math.round(100 * settings.speed)} %`;
  find("step").value = settings.step;
  if (find("balance")) find("balance").value = Math.round(100 * settings.balance);
  for (const [name, value] of [["first", settings.first], ["last", settings.last < 0 ? phrase().bars.length - 1 : settings.last]]) {
    const field = find(name);
    field.replaceChildren(...phrase().bars.map((bar, k) => new Option(bar.name, k)));
    field.value = Math.min(value, phrase().bars.length - 1);
  }
  find("now").textContent = phrase().name;
  showPlaying();
  remember();
}

// Acting

function choose(number, from) {
  if (number < 0 || number >= lesson.phrases.length) return;
  const playing = state.playing;
  if (number !== settings.phrase) {
    stop();
    Object.assign(settings, { phrase: number, first: 0, last: -1 });
    Object.assign(state, { at: 0, lit: -1 });
    find(`phrase-${number}`).scrollIntoView({ block: "nearest", behavior: "smooth" });
  }
  show();
  if (playing || from !== undefined) play(from);
}

function setSpeed(speed, told) {
  settings.speed = Math.min(Math.max(Math.round(100 * speed) / 100, 0.25), 1.25);
  if (!told) node?.port.postMessage({ speed: settings.speed });
  fallback?.forEach((sound) => {
    if (sound) sound.playbackRate = settings.speed;
  });
  show();
}

function toggle(name) {
  settings[name] = !settings[name];
  if (name === "click") node?.port.postMessage({ click: settings.click });
  show();
  if (name === "loop" && state.playing) play(state.at);
}

function setBars() {
  const first = Number(find("first").value);
  const last = Math.max(Number(find("last").value), first);
  Object.assign(settings, { first, last: last === phrase().bars.length - 1 ? -1 : last });
  show();
  if (state.playing) play();
}

const act = {
  play: () => (state.playing ? stop() : play().catch((problem) => say(`It does not play here: ${problem.message}`))),
  loop: () => toggle("loop"),
  click: () => toggle("click"),
  count: () => toggle("count"),
  previous: () => choose(settings.phrase - 1),
  next: () => choose(settings.phrase + 1),
  slower: () => setSpeed(settings.speed - 0.05),
  faster: () => setSpeed(settings.speed + 0.05),
  start: () => play(),
};
const KEYS = { " ": "play", l: "loop", k: "click", i: "count", PageUp: "previous", PageDown: "next", "-": "slower", "+": "faster", "=": "faster", Home: "start" };

function listen() {
  for (const name of ["play", "loop", "click", "count", "previous", "next"]) find(name).addEventListener("click", act[name]);
  find("more").addEventListener("click", () => {
    const open = find("bar").classList.toggle("open");
    find("more").setAttribute("aria-expanded", String(open));
  });
  find("speed").addEventListener("input", (event) => setSpeed(event.target.value / 100));
  find("step").addEventListener("change", (event) => {
    settings.step = Number(event.target.value);
    show();
  });
  find("balance")?.addEventListener("input", (event) => {
    settings.balance = event.target.value / 100;
    balance();
    remember();
  });
  find("first").addEventListener("change", setBars);
  find("last").addEventListener("change", setBars);
  document.addEventListener("keydown", (event) => {
    const inside = event.target.closest("input, select, button, summary");
    const name = KEYS[event.key];
    if (!name || event.ctrlKey || event.altKey || event.metaKey) return;
    if (inside && (event.key === " " || event.key === "Home" || event.key.startsWith("Page"))) return;
    event.preventDefault();
    act[name]();
  });
  document.querySelectorAll("nav a").forEach((link, number) => link.addEventListener("click", () => choose(number)));
  document.querySelectorAll("section").forEach((section, number) => {
    section.querySelector("button").addEventListener("click", () => choose(number));
    section.querySelectorAll("svg").forEach((drawing) => drawing.addEventListener("click", (event) => seek(event, drawing, number)));
  });
}

// A click into the tab plays from the note that is nearest to it.
function seek(event, drawing, number) {
  const box = drawing.getBoundingClientRect();
  const x = ((event.clientX - box.left) / box.width) * drawing.viewBox.baseVal.width;
  const layout = drawing.closest(".narrow") ? "narrow" : "wide";
  const line = Number(drawing.dataset.line);
  const { spots, moments } = lesson.phrases[number];
  let best = -1;
  spots[layout].forEach(([own, at], k) => {
    if (own === line && (best < 0 || Math.abs(at - x) < Math.abs(spots[layout][best][1] - x))) best = k;
  });
  if (best >= 0) choose(number, moments[best]);
}

settings.phrase = Math.min(settings.phrase, lesson.phrases.length - 1);
if (lesson.phrases.length) {
  listen();
  show();
  requestAnimationFrame(frame);
}
window.juxtanote = { settings, state, heardAt, lesson, get context() { return context; } };
