"use strict";
// Draws a result. Texts from the result are put in as text nodes alone, never as markup.
(() => {
const data = JSON.parse(document.getElementById("data").textContent);
const main = document.querySelector("main");
const result = data.result;

/* building blocks */

function el(tag, attributes, ...children) {
  const node = document.createElement(tag);
  for (const [name, value] of Object.entries(attributes || {}))
    if (value !== null && value !== undefined && value !== false) node.setAttribute(name, value);
  node.append(...children.flat(Infinity).filter(child => child !== null && child !== undefined));
  return node;
}
function svg(tag, attributes, ...children) {
  const node = document.createElementNS("http://www.w3.org/2000/svg", tag);
  for (const [name, value] of Object.entries(attributes || {}))
    if (value !== null && value !== undefined) node.setAttribute(name, value);
  node.append(...children);
  return node;
}
const plural = (count, one, many) => `${number(count)} ${count === 1 ? one : many || one + "s"}`;
function number(value, digits) {
  if (value === null || value === undefined) return "-";
  if (Number.isInteger(value) && Math.abs(value) < 1e15) return value.toLocaleString("en").replace(/,/g, "\u202f");
  return String(Number(value.toPrecision(digits || 6)));
}
const seconds = (at, step) => `${at.toFixed(step === undefined ? 6 : Math.max(0, Math.min(9, 1 - Math.floor(Math.log10(step)))))} s`;
const hex = digits => digits.replace(/../g, "$& ").trim();
function section(title, ...children) {
  main.append(el("h2", {}, title), ...children.flat(Infinity).filter(child => child));
}
function table(heads, rows, kinds) {
  const cell = (tag, content, index) => el(tag, kinds && kinds[index] === "n" ? {class: "number"} : {}, content === null || content === undefined ? "" : content instanceof Node ? content : String(content));
  return el("div", {class: "wide"}, el("table", {},
    el("thead", {}, el("tr", {}, heads.map((head, index) => cell("th", head, index)))),
    el("tbody", {}, rows.map(row => el("tr", row.attributes || {}, (row.cells || row).map((content, index) => cell("td", content, index)))))));
}
function list(pairs) {
  return el("dl", {}, pairs.filter(pair => pair && pair[1] !== null && pair[1] !== undefined && pair[1] !== "").flatMap(([name, value]) => [el("dt", {}, name), el("dd", {}, value instanceof Node ? value : String(value))]));
}
function details(title, open, ...children) {
  return el("details", {open: open ? "" : null}, el("summary", {}, title), el("div", {}, children));
}

/* an axis that can be zoomed: what it shows is from `from` to `to` */

class View {
  constructor(least, most) {
    this.least = least; this.most = most > least ? most : least + 1;
    this.from = this.least; this.to = this.most; this.changed = [];
  }
  set(from, to) {
    const whole = this.most - this.least;
    let width = Math.min(whole, Math.max(to - from, whole * 1e-7));
    from = Math.max(this.least, Math.min(from, this.most - width));
    this.from = from; this.to = from + width;
    for (const tell of this.changed) tell();
  }
  zoom(factor, about) {
    const at = about === undefined ? (this.from + this.to) / 2 : about;
    this.set(at - (at - this.from) * factor, at + (this.to - at) * factor);
  }
  pan(share) { const by = (this.to - this.from) * share; this.set(this.from + by, this.to + by); }
  whole() { this.set(this.least, this.most); }
}
function steps(from, to, most) {
  const raw = (to - from) / most, power = 10 ** Math.floor(Math.log10(raw));
  const step = [1, 2, 5, 10].map(times => times * power).find(candidate => candidate >= raw * 0.999);
  const marks = [];
  for (let at = Math.ceil(from / step) * step; at <= to + step * 1e-6; at += step) marks.push(Math.abs(at) < step * 1e-6 ? 0 : at);
  return {step, marks};
}
function toolbar(view, ...more) {
  const button = (words, act, title) => { const node = el("button", {type: "button", title}, words); node.addEventListener("click", act); return node; };
  return el("div", {class: "tools"}, button("zoom in", () => view.zoom(0.5), "Key +"), button("zoom out", () => view.zoom(2), "Key -"),
    button("earlier", () => view.pan(-0.4), "Left arrow"), button("later", () => view.pan(0.4), "Right arrow"),
    button("all", () => view.whole(), "Key 0"), more.flat());
}
// A drawing with one zoomable axis. draw(width) fills it and returns {height, left, right}; point(at, y) tells what is there.
function drawing(view, label, draw, point, step) {
  const plot = svg("svg", {class: "plot", tabindex: 0, role: "img", "aria-label": label});
  let frame = null, queued = false, width = 0, cursor = null, dragged = null;
  const scale = at => frame.left + (at - view.from) / (view.to - view.from) * (width - frame.left - frame.right);
  const back = x => view.from + (x - frame.left) / (width - frame.left - frame.right) * (view.to - view.from);
  function redraw() {
    queued = false;
    width = Math.max(280, plot.clientWidth || 1000);
    plot.replaceChildren();
    frame = {left: 0, right: 0};
    Object.assign(frame, draw(plot, width, (left, right) => { frame.left = left; frame.right = right; return scale; }));
    plot.setAttribute("viewBox", `0 0 ${width} ${frame.height}`);
    plot.setAttribute("height", frame.height);
    plot.append(svg("line", {class: "cursor", y1: 0, y2: frame.height, stroke: "var(--ink)", "stroke-dasharray": "1 3"}));
    place();
  }
  function place() {
    const line = plot.querySelector(".cursor");
    const shown = cursor !== null && cursor >= view.from && cursor <= view.to;
    line.setAttribute("visibility", shown ? "visible" : "hidden");
    if (shown) { line.setAttribute("x1", scale(cursor)); line.setAttribute("x2", scale(cursor)); }
  }
  function ask() { if (!queued) { queued = true; requestAnimationFrame(redraw); } }
  function at(event) { const box = plot.getBoundingClientRect(); return [back((event.clientX - box.left) * width / box.width), (event.clientY - box.top) * frame.height / box.height]; }
  function move(to, y) { cursor = to; place(); if (point) point(to, y, (view.to - view.from) / width); }
  plot.addEventListener("pointermove", event => {
    if (dragged && event.buttons) { const by = (dragged.x - event.clientX) / plot.getBoundingClientRect().width * width / (width - frame.left - frame.right) * (dragged.to - dragged.from); view.set(dragged.from + by, dragged.to + by); return; }
    move(...at(event));
  });
  plot.addEventListener("pointerdown", event => { dragged = {x: event.clientX, from: view.from, to: view.to}; move(...at(event)); });
  addEventListener("pointerup", () => { dragged = null; });
  plot.addEventListener("dblclick", event => view.zoom(0.25, at(event)[0]));
  plot.addEventListener("wheel", event => {
    if (!event.ctrlKey && !event.shiftKey && document.activeElement !== plot) return; // the page scrolls
    event.preventDefault(); view.zoom(event.deltaY > 0 ? 1.25 : 0.8, at(event)[0]);
  }, {passive: false});
  plot.addEventListener("keydown", event => {
    const acts = {"+": () => view.zoom(0.5, cursor ?? undefined), "=": () => view.zoom(0.5, cursor ?? undefined), "-": () => view.zoom(2, cursor ?? undefined),
      ArrowLeft: () => view.pan(-0.2), ArrowRight: () => view.pan(0.2), "0": () => view.whole(), Home: () => view.whole(),
      n: () => step && step(1, cursor, move), p: () => step && step(-1, cursor, move)};
    if (acts[event.key] && !event.altKey && !event.metaKey) { event.preventDefault(); acts[event.key](); }
  });
  view.changed.push(ask);
  new ResizeObserver(ask).observe(plot);
  matchMedia("print").addEventListener("change", ask);
  plot.moveTo = (to, y) => move(to, y);
  return plot;
}
function axis(plot, scale, view, y, width, words) {
  const {step, marks} = steps(view.from, view.to, Math.max(2, Math.floor(width / 110)));
  for (const mark of marks) {
    plot.append(svg("line", {x1: scale(mark), x2: scale(mark), y1: y, y2: y + 5, stroke: "var(--faint)"}));
    plot.append(svg("text", {x: scale(mark), y: y + 17, "text-anchor": "middle", class: "faint"}, words ? words(mark, step) : seconds(mark, step)));
  }
  return marks;
}
const colours = ["var(--a)", "var(--b)", "var(--c)", "var(--d)", "var(--e)", "var(--f)"];
const dashes = [null, "7 3", "2 3", "10 3 2 3", "4 4", "1 2"];
const shapes = [ // so that series differ without colours
  (x, y, r) => `M${x - r} ${y}a${r} ${r} 0 1 0 ${2 * r} 0a${r} ${r} 0 1 0 ${-2 * r} 0`,
  (x, y, r) => `M${x - r} ${y - r}h${2 * r}v${2 * r}h${-2 * r}z`,
  (x, y, r) => `M${x} ${y - 1.3 * r}L${x + 1.3 * r} ${y + r}H${x - 1.3 * r}z`,
  (x, y, r) => `M${x} ${y - 1.4 * r}L${x + 1.4 * r} ${y}L${x} ${y + 1.4 * r}L${x - 1.4 * r} ${y}z`];
function key(index, words, kind) {
  const picture = svg("svg", {width: 26, height: 12});
  if (kind === "shape") picture.append(svg("path", {d: shapes[index % 4](13, 6, 4), fill: colours[index % 6]}));
  else picture.append(svg("line", {x1: 0, x2: 26, y1: 6, y2: 6, stroke: colours[index % 6], "stroke-width": 2.4, "stroke-dasharray": dashes[index % 6]}));
  return el("span", {class: "key"}, picture, words);
}

/* a plain chart: bars or lines over one axis */

function chart({label, least, most, top, series, bars, words, vertical, height = 240, readout, scale: by = value => value}) {
  const view = new View(least, most);
  const told = el("div", {class: "readout one", "aria-live": "polite"}, el("p", {class: "small"}, "Point at the drawing to read values. Drag to move; after a click, the keys + - 0 zoom and the arrows move."));
  const plot = drawing(view, label, (plot, width, begin) => {
    const scale = begin(62, 16), floor = height - 30, lift = value => floor - value / top * (floor - 14);
    for (const mark of steps(0, top, 4).marks) {
      plot.append(svg("line", {x1: 62, x2: width - 16, y1: lift(mark), y2: lift(mark), stroke: "var(--line)"}));
      plot.append(svg("text", {x: 56, y: lift(mark) + 4, "text-anchor": "end", class: "faint"}, vertical(mark)));
    }
    const id = "clip" + Math.random().toString(36).slice(2);
    const inside = svg("g", {"clip-path": `url(#${id})`});
    plot.append(svg("clipPath", {id}, svg("rect", {x: 62, y: 0, width: width - 78, height})), inside);
    for (const [from, to, value] of bars || [])
      inside.append(svg("rect", {x: scale(from), width: Math.max(1, scale(to) - scale(from) - 1), y: lift(value), height: floor - lift(value), fill: "var(--a)", "fill-opacity": .75, stroke: "var(--a)"}));
    (series || []).forEach((one, index) => {
      inside.append(svg("path", {d: one.points.map(([x, y], i) => `${i ? "L" : "M"}${scale(by(x)).toFixed(1)} ${lift(y).toFixed(1)}`).join(""), fill: "none",
        stroke: one.colour || colours[index % 6], "stroke-width": one.wide ? 6 : 2, "stroke-opacity": one.wide ? .35 : 1, "stroke-dasharray": one.wide ? null : one.dash || dashes[index % 6]}));
    });
    axis(plot, scale, view, floor, width - 78, words);
    return {height};
  }, at => { const text = readout(at); told.replaceChildren(...(Array.isArray(text) ? text : [text]).map(line => el("p", {}, line))); });
  return [toolbar(view), plot, told];
}
function levels(rows, unit) { // horizontal bars with their words
  const most = Math.max(...rows.map(row => row.value), 1e-9);
  return el("div", {class: "wide"}, el("table", {}, el("tbody", {}, rows.map((row, index) => {
    const bar = svg("svg", {width: 300, height: 16, role: "img", "aria-label": `${number(row.value)} ${unit}`},
      svg("rect", {x: 0, y: 2, width: Math.max(1, 296 * row.value / most), height: 12, fill: row.main ? "var(--a)" : "none", stroke: "var(--a)", "stroke-width": 1.4, "stroke-dasharray": row.main ? null : "4 2"}));
    return el("tr", {}, el("th", {}, row.name), el("td", {class: "number"}, `${number(row.value, 5)} ${unit}`), el("td", {}, bar), el("td", {}, row.words || ""));
  }))));
}

/* the air over time: centrals above, devices below */

function timeline({air, centrals = [], devices = [], takeSteps = []}) {
  const packets = air.packets.map(([at, record, from, to, channel, words, bytes, length, error, side]) => ({at, record, from, to, channel, words, bytes, length, error, side}));
  const end = Math.max(air.end_s, ...takeSteps.map(step => step.ended_s), 0.001);
  const view = new View(0, end);
  const names = [...new Set([...centrals, ...devices, ...takeSteps.map(step => step.who), ...(centrals.length + devices.length ? [] : packets.map(packet => packet.from))])].filter(name => name);
  const isDevice = name => devices.includes(name);
  const above = names.filter(name => !isDevice(name)), below = names.filter(isDevice);
  const lanes = [...above.map(name => ({name, kind: "who"})), {name: air.hci ? "HCI" : "air", kind: "air"}, ...below.map(name => ({name, kind: "who"})),
    ...air.series.map((series, index) => ({name: series.name, kind: "values", series, index})),
    ...[...new Set(air.words.map(word => word[1]))].slice(0, 8).map(name => ({name, kind: "words", words: air.words.filter(word => word[1] === name)}))]
    .filter(lane => lane.kind !== "who" || takeSteps.length > 0);
  for (const lane of lanes) {
    if (lane.kind !== "who") continue;
    const rows = []; // steps that last at the same time lie below each other
    lane.steps = takeSteps.filter(step => step.who === lane.name).map(step => {
      let row = rows.findIndex(until => until <= step.began_s);
      if (row < 0 || step.began_s === step.ended_s) row = row < 0 ? rows.length : row;
      rows[row] = step.ended_s;
      return {step, row: Math.min(row, 3)};
    });
    lane.rows = Math.max(1, Math.min(4, rows.length));
  }
  let pinned = null;
  const told = el("div", {class: "readout", "aria-live": "polite"}, el("p", {class: "small"}, "Point at the drawing to see what was on the air at that time. Drag to move, double-click to zoom in. After a click on the drawing, the wheel and the keys + - 0 zoom, the arrows move, and n and p go to the next and the previous packet."));
  const rowsBody = el("tbody"), rowsNote = el("p", {class: "small"});
  const left = () => Math.min(210, Math.max(84, ...lanes.map(lane => Math.min(30, lane.name.length) * 6.6 + 14)));

  function draw(plot, width, begin) {
    const edge = width < 700 ? 84 : left();
    const scale = begin(edge, 10);
    let y = 24;
    const defs = svg("defs", {}, svg("pattern", {id: "hatch", width: 6, height: 6, patternUnits: "userSpaceOnUse", patternTransform: "rotate(45)"}, svg("rect", {width: 6, height: 6, fill: "var(--card)"}), svg("line", {x1: 0, x2: 0, y1: 0, y2: 6, stroke: "var(--bad)", "stroke-width": 4})),
      svg("clipPath", {id: "inside"}, svg("rect", {x: edge, y: 0, width: width - edge - 10, height: 5000})));
    plot.append(defs);
    const grid = svg("g"), inside = svg("g", {"clip-path": "url(#inside)"}), labels = svg("g");
    plot.append(grid, inside, labels);
    for (const lane of lanes) {
      lane.top = y;
      const height = {who: 6 + 20 * (lane.rows || 1), air: 104, values: 58, words: 26}[lane.kind];
      const shown = Math.floor((edge - 10) / 6.6);
      const label = svg("text", {x: 6, y: y + (lane.kind === "air" ? 52 : height / 2 + 4), "font-weight": lane.kind === "air" ? 700 : 400}, lane.name.length > shown ? lane.name.slice(0, shown - 1) + "\u2026" : lane.name);
      label.append(svg("title", {}, lane.name));
      labels.append(label);
      if (lane.kind === "who") drawSteps(inside, lane, scale, edge, width);
      if (lane.kind === "air") drawAir(inside, labels, lane, scale, height, edge, width);
      if (lane.kind === "values") drawValues(inside, labels, lane, scale, height, edge);
      if (lane.kind === "words") drawWords(inside, lane, scale);
      y += height;
      grid.append(svg("line", {x1: 0, x2: width, y1: y, y2: y, stroke: "var(--line)"}));
    }
    for (const mark of axis(plot, scale, view, 0, width - edge - 10))
      grid.append(svg("line", {x1: scale(mark), x2: scale(mark), y1: 20, y2: y, stroke: "var(--line)", "stroke-opacity": .7}));
    fillRows();
    return {height: y + 4};
  }
  function drawSteps(group, lane, scale, edge, width) {
    for (const {step, row} of lane.steps) {
      if (step.ended_s < view.from || step.began_s > view.to) continue;
      const x1 = Math.max(edge - 2, scale(step.began_s)), x2 = Math.min(width, scale(step.ended_s)), y = lane.top + 4 + 20 * row;
      const box = svg("rect", {x: x1, y, width: Math.max(3, x2 - x1), height: 17, rx: 2, fill: step.passed ? "var(--wash)" : "url(#hatch)", stroke: step.passed ? "var(--faint)" : "var(--bad)", "stroke-width": step.passed ? 1 : 2});
      box.append(svg("title", {}, `line ${step.line}: ${step.what} - ${step.came}`));
      group.append(box);
      const words = (step.passed ? "" : "\u2717 ") + step.what, room = Math.floor((x2 - x1 - 6) / 6.4);
      if (room > 3 && step.passed) group.append(svg("text", {x: x1 + 4, y: y + 13}, words.length > room ? words.slice(0, room - 1) + "\u2026" : words));
      if (!step.passed) {
        const text = room > 6 ? (words.length > room - 3 ? words.slice(0, room - 4) + "\u2026" : words) : "\u2717", at = Math.max(x1 + 9, edge + 4);
        group.append(svg("rect", {x: at - 4, y: y + 1.5, width: text.length * 6.9 + 8, height: 14, fill: "var(--card)"}), svg("text", {x: at, y: y + 13, "font-weight": 700}, text));
      }
    }
  }
  function inView() {
    let low = 0, high = packets.length;
    while (low < high) { const middle = (low + high) >> 1; if (packets[middle].at < view.from) low = middle + 1; else high = middle; }
    const first = low;
    while (low < packets.length && packets[low].at <= view.to) low++;
    return [first, low];
  }
  function drawAir(group, labels, lane, scale, height, edge, width) {
    const floor = lane.top + height - 4, stretch = air.stretch_s;
    const from = Math.max(0, Math.floor(view.from / stretch)), to = Math.min(air.busy.length - 1, Math.ceil(view.to / stretch));
    const each = Math.max(1, Math.floor((to - from) / Math.max(1, width - edge)));
    const sums = [];
    for (let i = from; i <= to; i += each) sums.push([i, air.busy.slice(i, i + each).reduce((sum, count) => sum + count, 0)]);
    const most = Math.max(1, ...sums.map(sum => sum[1]));
    for (const [i, count] of sums)
      if (count) group.append(svg("rect", {x: scale(i * stretch), width: Math.max(1, scale((i + each) * stretch) - scale(i * stretch)), y: floor - 22 * count / most, height: 22 * count / most, fill: "var(--faint)", "fill-opacity": .45}));
    labels.append(svg("text", {x: 6, y: floor - 4, class: "faint"}, `${number(most / (each * stretch), 3)}/s`));
    if (air.packets_left_out) { // between the first ones and the last ones
      const gap = packets.findIndex((packet, index) => index > 0 && packet.record - packets[index - 1].record > 1 && index === packets.length - air.packets_last);
      if (gap > 0) {
        const x1 = Math.max(edge, scale(packets[gap - 1].at)), x2 = Math.min(width - 10, scale(packets[gap].at));
        if (x2 - x1 > 150) group.append(svg("text", {x: (x1 + x2) / 2, y: lane.top + 40, "text-anchor": "middle", class: "faint"}, `${number(air.packets_left_out)} packets are not kept in this page`));
      }
    }
    const [first, last] = inView(), skip = Math.max(1, Math.ceil((last - first) / 1500));
    for (let i = first; i < last; i += skip) {
      const packet = packets[i], x = scale(packet.at);
      const y = lane.top + 10 + (packet.channel >= 0 ? packet.channel : 20) / 40 * (height - 44);
      const who = packet.side;
      if (packet.error) group.append(svg("path", {d: `M${x - 4} ${y - 4}l8 8m0 -8l-8 8`, stroke: "var(--bad)", "stroke-width": 2}));
      else group.append(svg("path", {d: shapes[who](x, y, 3), fill: who ? "var(--b)" : "var(--a)", "fill-opacity": .85}));
    }
  }
  function drawValues(group, labels, lane, scale, height, edge) {
    const points = lane.series.points, values = points.map(point => point[1]);
    const least = Math.min(...values), most = Math.max(...values), room = height - 20;
    const lift = value => lane.top + 10 + (most > least ? (1 - (value - least) / (most - least)) * room : room / 2);
    let path = "";
    points.forEach(([at, value], index) => {
      if (index + 1 < points.length && points[index + 1][0] < view.from) return;
      if (index > 0 && points[index - 1][0] > view.to) return;
      path += path ? `H${scale(at).toFixed(1)}V${lift(value).toFixed(1)}` : `M${scale(at).toFixed(1)} ${lift(value).toFixed(1)}`; // a value holds until the next
    });
    if (path) group.append(svg("path", {d: path, fill: "none", stroke: colours[lane.index % 6], "stroke-width": 1.8, "stroke-dasharray": dashes[lane.index % 6]}));
    const shown = points.filter(point => point[0] >= view.from && point[0] <= view.to);
    if (shown.length <= 150)
      for (const [at, value] of shown) group.append(svg("path", {d: shapes[lane.index % 4](scale(at), lift(value), 2.4), fill: colours[lane.index % 6]}));
    const beside = {x: edge - 5, "text-anchor": "end", class: "faint", "font-size": 11};
    labels.append(svg("text", {...beside, y: lane.top + 12}, `${number(most)} ${lane.series.unit}`));
    if (most > least) labels.append(svg("text", {...beside, y: lane.top + height - 4}, number(least)));
  }
  function drawWords(group, lane, scale) {
    for (const [index, [at, , words]] of lane.words.entries()) {
      if (at < view.from || at > view.to) continue;
      const x = scale(at), room = index + 1 < lane.words.length ? scale(lane.words[index + 1][0]) - x : 1e9;
      group.append(svg("line", {x1: x, x2: x, y1: lane.top + 3, y2: lane.top + 23, stroke: "var(--c)", "stroke-width": 2, "stroke-opacity": .7}));
      const fit = Math.floor(Math.min(room, 280) / 6.6) - 1;
      if (fit >= 6) group.append(svg("text", {x: x + 4, y: lane.top + 17}, words.length > fit ? words.slice(0, fit - 1) + "\u2026" : words));
    }
  }
  function nearest(at) {
    let low = 0, high = packets.length - 1;
    while (low < high) { const middle = (low + high) >> 1; if (packets[middle].at < at) low = middle + 1; else high = middle; }
    if (low > 0 && at - packets[low - 1].at < packets[low].at - at) low--;
    return packets.length ? low : -1;
  }
  function tell(at, y, pixel) {
    const lines = [el("p", {}, el("b", {}, seconds(Math.max(0, at), pixel)))];
    for (const step of takeSteps.filter(step => step.began_s <= at + 3 * pixel && step.ended_s >= at - 3 * pixel).slice(0, 3))
      lines.push(el("p", {}, `${step.passed ? "step" : "FAILED"}, line ${step.line}, ${step.who}: ${step.what}. `, el("span", {class: "small"}, `came: ${step.came}`)));
    const index = nearest(at);
    if (index >= 0 && Math.abs(packets[index].at - at) < 12 * pixel) {
      const packet = packets[index];
      lines.push(el("p", {}, `packet ${packet.record}, ${seconds(packet.at)}${packet.channel >= 0 ? `, channel ${packet.channel}` : ""}, ${packet.from || "unknown"} to ${packet.to || "all"}: `, el("b", {}, packet.words)),
        el("p", {class: "mono"}, hex(packet.bytes) + (packet.length * 2 > packet.bytes.length ? ` \u2026 ${packet.length} bytes` : "")));
      pinned = packet.record; mark();
    }
    for (const series of air.series) {
      const before = series.points.filter(point => point[0] <= at).pop();
      if (before && lines.length < 7) lines.push(el("p", {class: "small"}, `${series.name} was ${number(before[1])} ${series.unit}`));
    }
    told.replaceChildren(...lines);
  }
  function mark() { for (const row of rowsBody.children) row.classList.toggle("here", Number(row.dataset.record) === pinned); }
  function fillRows() {
    const [first, last] = inView(), most = 250;
    rowsNote.textContent = `${plural(last - first, "packet")} with content in the part shown` + (last - first > most ? `; the first ${most} are listed: zoom to see others.` : ".") +
      (air.packets_left_out ? ` Of ${number(air.packets_telling)}, ${number(air.packets_left_out)} in the middle are left out of this page.` : "") + ` ${number(air.packets_all)} packets in all, most of them empty or repeated.`;
    rowsBody.replaceChildren(...packets.slice(first, Math.min(last, first + most)).map(packet => {
      const row = el("tr", {class: packet.error ? "pick bad" : "pick", tabindex: 0, "data-record": packet.record}, el("td", {class: "number"}, packet.at.toFixed(6)), el("td", {class: "number"}, packet.channel >= 0 ? packet.channel : ""), el("td", {}, packet.from || "unknown"), el("td", {}, packet.to || "all"), el("td", {}, packet.words), el("td", {class: "mono"}, hex(packet.bytes.slice(0, 40)) + (packet.length > 20 ? " \u2026" : "")));
      const choose = () => { if (packet.at < view.from || packet.at > view.to) view.set(packet.at - 0.05, packet.at + 0.05); plot.moveTo(packet.at); };
      row.addEventListener("click", choose);
      row.addEventListener("keydown", event => { if (event.key === "Enter") choose(); });
      return row;
    }));
    mark();
  }
  const plot = drawing(view, "The air, steps and values over time", draw, (at, y, pixel) => tell(at, y, pixel || (view.to - view.from) / 1000), (direction, at, move) => {
    let index = at === null ? -1 : packets.findIndex(packet => packet.at > at + (direction > 0 ? 1e-9 : -1e-9));
    index = direction > 0 ? index : (index < 0 ? packets.length : index) - 1;
    if (direction < 0 && packets[index] && Math.abs(packets[index].at - at) < 1e-9) index--;
    if (!packets[index]) return;
    if (packets[index].at < view.from || packets[index].at > view.to) view.set(packets[index].at - (view.to - view.from) / 2, packets[index].at + (view.to - view.from) / 2);
    move(packets[index].at);
  });
  const failed = takeSteps.find(step => !step.passed);
  if (failed) queueMicrotask(() => { const margin = Math.max(0.4, (failed.ended_s - failed.began_s) * 0.15); view.set(failed.began_s - margin, failed.ended_s + margin); });
  const notes = [air.series.some(series => series.thinned) ? "Of values with many points, the least and the greatest of each stretch of time are drawn." : "",
    air.values_left_out ? `${plural(air.values_left_out, "value")} of further series are left out.` : "", air.words_all > air.words.length ? `${number(air.words_all - air.words.length)} later values in words are left out.` : ""].filter(note => note).join(" ");
  return {view, node: [toolbar(view, key(0, "from a central", "shape"), key(1, "from a peripheral", "shape"), el("span", {class: "key"}, "\u00d7 error or refusal"), el("span", {class: "key"}, "grey: all packets, also empty ones")), plot, told,
    notes ? el("p", {class: "small"}, notes) : null, details("Packets in the part shown", packets.length > 0 && !takeSteps.length, rowsNote,
      el("div", {class: "wide"}, el("table", {}, el("thead", {}, el("tr", {}, ["time s", "channel", "from", "to", "what", "bytes"].map(head => el("th", {}, head)))), rowsBody)))]};
}

/* the verbs */

const verbs = {
  rehearse() {
    const take = data.more.take, watched = data.more.watched;
    const count = result.scenes.reduce((sum, scene) => sum + scene.count, 0);
    if (count > 1) section("All takes", table(["scene", "seed", "result"], result.scenes.flatMap(scene => scene.takes.map(one => ({attributes: {class: one.passed ? "good" : "bad"},
      cells: [scene.title || scene.file, one.seed, one.problem || (one.failed ? `line ${one.failed.line}: ${one.failed.who}: ${one.failed.what}` : "passed")]})))));
    if (!take) return;
    if (count > 1) section(`The take shown below: ${take.title || take.file}, seed ${take.seed}`);
    let shown = null;
    if (watched) {
      shown = timeline({air: watched.air, centrals: watched.centrals, devices: watched.devices, takeSteps: take.steps});
      section("Centrals, air and devices", shown.node);
    } else if (!take.problem) section("The air", el("p", {}, "This take was played before, and its packets were not kept."));
    const failed = take.steps.find(step => !step.passed);
    if (failed) section("Where it failed", details(`line ${failed.line}: ${failed.who}: ${failed.what}`, true, list([["expected", failed.expected], ["came", failed.came], ["from", seconds(failed.began_s)], ["to", seconds(failed.ended_s)]]),
      take.packets.length ? [el("p", {}, "The last packets with content:"), el("pre", {}, take.packets.join("\n"))] : null));
    if (take.steps.length) section("Steps", take.steps_left_out ? el("p", {class: "small"}, `${number(take.steps_left_out)} earlier steps are left out.`) : null, table(["line", "from", "to", "who", "step", "what came"], take.steps.map(step => ({
      attributes: {class: (step.passed ? "good" : "bad") + " pick step", tabindex: 0}, cells: [step.line, seconds(step.began_s, 0.001), seconds(step.ended_s, 0.001), step.who, step.what, step.came]})), ["", "n", "n"]));
    if (shown) document.querySelectorAll("tr.step").forEach((row, index) => {
      const step = take.steps[index];
      const choose = () => { const margin = Math.max(0.02, (step.ended_s - step.began_s) * 0.15); shown.view.set(step.began_s - margin, step.ended_s + margin); document.querySelector(".plot").scrollIntoView({block: "center"}); };
      row.addEventListener("click", choose);
      row.addEventListener("keydown", event => { if (event.key === "Enter") choose(); });
    });
    if (take.charge) section("Charge", table(["who", "mean current", "battery"], take.charge.map(one => [one.who, `${number(one.mean_current_ua, 4)} uA`, one.battery_days === null ? "" : `${number(one.battery_days, 3)} days`]), ["", "n", "n"]));
    for (const image of take.images || []) section(`Image: ${image.name}`, table(["instructions of", "calls", "mean", "most"], image.calls.map(call => [call.name, call.calls, number(call.mean_instructions, 4), number(call.most_instructions, 4)]), ["", "n", "n", "n"]));
    if (take.log && take.log.length) section("Log", details(plural(take.log.length, "line") + (take.lines_left_out ? `; ${number(take.lines_left_out)} earlier ones are left out` : ""), false, table(["time", "who", "text"], take.log.map(line => [seconds(line.at_s), line.who, line.text]), ["n"])));
  },
  trace() {
    section("The air over time", timeline({air: data.more.air}).node);
  },
  audit() {
    const rules = result.rules;
    const broken = rules.filter(rule => rule.broken > 0);
    for (const severity of ["error", "advice"]) {
      const found = broken.filter(rule => rule.severity === severity);
      if (found.length) section(severity === "error" ? "Violations" : "Advice", found.map(rule => details(`${rule.rule}: broken ${plural(rule.broken, "time")}`, true,
        list([["demands", rule.demands], ["clause", rule.clause], ["remedy", rule.remedy]]),
        rule.breaches.map((breach, index) => details(`packet ${breach.number}, ${seconds(breach.time_s)}${breach.who ? ", " + breach.who : ""}: ${breach.what}`, index === 0,
          data.more.packets[breach.number] ? packetTable(data.more.packets[breach.number], breach.number) : el("p", {class: "small"}, "Its packet is not kept in this page."))),
        rule.broken > rule.breaches.length ? el("p", {class: "small"}, `${number(rule.broken - rule.breaches.length)} further ones are not listed.`) : null)));
    }
    section("All rules", details(`${plural(rules.length, "rule")}: ${result.broken} broken, ${result.kept} kept, ${result.unknown} undecided, ${result.no_occasion} not applicable`, broken.length === 0,
      table(["rule", "verdict", "kept", "broken", "undecided", "demands"], rules.map(rule => [rule.rule, rule.verdict, rule.kept, rule.broken, rule.unknown, rule.demands]), ["", "", "n", "n", "n"])));
    if (result.connections.length) section("Connections", details(plural(result.connections.length, "connection"), false, el("pre", {}, JSON.stringify(result.connections, null, 1))));
    if (result.holes.count) section("Missing packets", el("p", {}, `In ${plural(result.holes.count, "place")}, packets of connections may be missing from the capture.`));
  },
  interval() {
    const more = data.more, measured = result.interval_ms;
    section("Intervals between advertising events", list([["set", result.set_ms === result.set_max_ms ? `${number(result.set_ms)} ms` : `${number(result.set_ms)} to ${number(result.set_max_ms)} ms`], ["events", number(result.events)], ["least, mean, greatest", measured ? `${number(measured.min)}, ${number(measured.mean)}, ${number(measured.max)} ms` : null],
      ["longest silence", result.longest_silence_ms ? `${number(result.longest_silence_ms)} ms, from ${seconds(result.longest_silence_from_s, 0.001)}${more.silence ? ": " + more.silence : ""}` : null], ["time on the air", result.duty_percent === undefined ? null : `${number(result.duty_percent, 3)} %`]]));
    if (more.histogram.length) {
      const top = Math.max(...more.histogram.map(bin => bin[2])) * 1.08, first = more.histogram[0][0], last = more.histogram[more.histogram.length - 1][1];
      main.append(...chart({label: "How often each interval occurred", least: first, most: last, top, bars: more.histogram, vertical: value => number(value), words: value => `${number(value, 6)} ms`,
        series: more.expected_in_bin ? [{points: [[more.expected_from_ms, more.expected_in_bin], [more.expected_to_ms, more.expected_in_bin]], colour: "var(--b)", dash: "7 3"}] : [],
        readout: at => { const bin = more.histogram.find(([from, to]) => at >= from && at < to); return bin ? `${number(bin[0], 7)} to ${number(bin[1], 7)} ms: ${plural(bin[2], "event")}${more.expected_in_bin ? `, ${number(more.expected_in_bin, 3)} expected` : ""}` : "no events"; }}));
      if (more.expected_in_bin) main.append(el("p", {class: "small"}, "Dashed: the number that is expected when the random delay of 0 to 10 ms is equally likely everywhere."));
    }
    if (more.found.length) {
      const log = value => Math.log10(Math.max(value, 1));
      section("Time until found", el("div", {class: "tools"}, more.found.map((one, index) => key(index, one.scanner))), ...chart({label: "Share of searches that have found the device", least: 0, most: log(60000), top: 100, height: 280, vertical: value => `${value} %`, scale: log,
        words: value => { const ms = 10 ** value; return ms >= 1000 ? `${number(ms / 1000, 3)} s` : `${number(ms, 3)} ms`; },
        series: more.found.map((one, index) => ({points: one.measured, colour: colours[index % 6], dash: dashes[index % 6]})).concat(more.found.map((one, index) => ({points: one.calculated, wide: true, colour: colours[index % 6]}))),
        readout: at => { const ms = 10 ** at; return [`after ${number(ms, 4)} ms: ` + more.found.map(one => { const before = one.measured.filter(point => point[0] <= ms).pop(); return `${one.scanner} ${before ? number(before[1], 3) : 0} %`; }).join(", ")]; }}),
        el("p", {class: "small"}, "Thin lines were measured, broad ones are calculated."),
        table(["scanner", "searches", "median", "95 %", "longest", "calculated median", "calculated 95 %"], result.searches.map(search => [`${search.scanner}: ${number(search.window_ms)} of ${number(search.interval_ms)} ms`, search.runs, ...[search.found_ms.median, search.found_ms.p95, search.found_ms.max, search.calculated_ms.median, search.calculated_ms.p95].map(ms => ms === null ? "not found" : `${number(ms, 5)} ms`)]), ["", "n", "n", "n", "n", "n", "n"]));
    }
    if (result.verdicts.length) section("Expectations", table(["expected", "measured", "advice"], result.verdicts.map(verdict => ({attributes: {class: verdict.met === null ? null : verdict.met ? "good" : "bad"}, cells: [verdict.expected, verdict.measured, verdict.met ? "" : verdict.advice]}))));
  },
  throughput() {
    const kbps = bps => bps / 1000;
    section("What limits it", levels([{name: "measured", value: kbps(result.goodput_bps), main: true}, result.limit_bps ? {name: "calculated limit", value: kbps(result.limit_bps), words: "of this link, with these options"} : null,
      ...result.limited_by.map(limit => ({name: limit.cause.replace(/_/g, " "), value: kbps(limit.goodput_bps), words: `${limit.words}${limit.instead ? `; with ${limit.instead}, it would reach this` : ""}`}))].filter(row => row), "kbit/s"));
    const ms = quantiles => quantiles ? `${number(quantiles.median, 4)} / ${number(quantiles.p95, 4)} / ${number(quantiles.max, 4)} ms` : null;
    section("Measured", list([["values", `${number(result.values)} (${number(result.value_bytes)} bytes) in ${number(result.measured_s)} s`], ["missing, out of order", `${result.missing}, ${result.out_of_order}`], ["packets", `${number(result.packets)}, of which ${number(result.data_packets)} with data; ${number(result.retransmissions)} retransmissions`],
      ["time on the air", result.airtime_ratio === undefined ? null : `${number(100 * result.airtime_ratio, 3)} %`], ["events filled", result.event_used_ratio === undefined ? null : `${number(100 * result.event_used_ratio, 3)} %`], ["latency (median / 95 % / most)", ms(result.latency_ms)], ["latency of a single value", ms(result.latency_alone_measured_ms)], ["latency of a single value, calculated", ms(result.latency_alone_ms)],
      ["mean current", result.mean_current_ua ? `${number(result.mean_current_ua, 4)} uA` : null]]));
    section("Parameters", table(["parameter", "value"], Object.entries(result.parameters || {}).map(([name, value]) => [name.replace(/_/g, " "), String(value)])));
  },
  pairing() {
    const groups = new Map();
    for (const outcome of result.outcomes) {
      const id = outcome.pairs ? outcome.method : "refused: " + outcome.reason;
      if (!groups.has(id)) groups.set(id, []);
      groups.get(id).push(outcome);
    }
    section("Kinds of centrals", table(["central", "pairing", "method", "level", "protection"], result.outcomes.map(outcome => ({attributes: {class: outcome.pairs ? "good" : "bad"}, cells: [outcome.central_capability + (outcome.out_of_band ? ", with data out of band" : ""), outcome.secure_connections ? "secure connections" : "legacy", outcome.pairs ? outcome.method : `refused: ${outcome.reason}`, outcome.level, outcome.pairs ? outcome.protects : ""]})), ["", "", "", "n"]));
    section("What people see and do", [...groups].filter(([, outcomes]) => outcomes[0].pairs).map(([method, outcomes]) => peopleDrawing(method, outcomes)));
    const rights = level => result.rights.filter(right => right.level === level);
    section("What each security level grants", table(["level", "rights"], [1, 2, 3, 4].map(level => [level, rights(level).map(right => `${right.way} ${right.characteristic}`).join(", ") || "nothing more"]), ["n"]));
  },
  meet() {
    const more = data.more, found = result.findings;
    section("Findings", found.length ? found.map((finding, index) => {
      const node = details(`${index + 1}. ${finding.what}`, true, list([["expected", finding.expected], ["came", finding.came],
        ["where", `in ${plural(finding.encounters, "encounter")}, first in number ${number(finding.first)}, with ${plural(finding.steps_before, "step")}`]]),
        details(`The smallest scene that shows it${finding.scene ? ": " + finding.scene : ""}`, index === 0, el("pre", {}, more.scenes[index])));
      node.id = `finding${index + 1}`;
      return node;
    }) : el("p", {}, "No encounter has failed."));
    const centrals = [...new Set(result.matrix.map(cell => cell.who))], values = [...new Set(result.matrix.map(cell => cell.value))];
    section("Encounters by value and central", table(["", ...centrals], values.map((value, row) => ({cells: [value, ...centrals.map((_, column) => {
      const index = column * values.length + row, cell = result.matrix[index];
      if (!cell.encounters) return el("span", {class: "faint"}, "not yet");
      if (!cell.failed) return number(cell.encounters);
      return el("a", {href: `#finding${more.first[index]}`}, `${number(cell.failed)} of ${number(cell.encounters)} failed`);
    })]}))));
    if (more.behaviour.length) section("Behaviour", table(["behaviour", "encounters that tried it"], more.behaviour.map((words, index) => ({
      attributes: {class: result.behaviour[index].encounters ? "good" : null}, cells: [words, number(result.behaviour[index].encounters)]})), ["", "n"]));
    if (result.reached.length) section("Firmware that was reached", result.reached.map(file => details(`${file.file}: ${file.functions_reached} of ${plural(file.functions, "function")}, ${file.branches_reached} of ${plural(file.branches, "branch", "branches")}`, false,
      file.not_reached.length ? table(["line", "not reached"], file.not_reached.map(place => [place.line, place.function !== undefined ? place.function : `${place.branches - place.taken} of ${plural(place.branches, "branch", "branches")}`]), ["n"]) : el("p", {}, "All of it was reached."))));
    section("Covered pairs", el("p", {class: "small"}, "Each encounter is made of one choice for each aspect. A cell says how many pairs of choices have occurred, of how many."),
      table(["", ...more.covered.slice(0, -1).map(aspect => aspect.name)], more.covered.slice(1).map(aspect => ({cells: [aspect.name, ...more.covered.slice(0, -1).map((_, index) => index < aspect.with.length ? aspect.with[index].map(count => number(count)).join(" of ") : "")]}))));
  },
  compare() {
    const rows = result.figures, order = {worse: 0, missing: 1}, changed = rows.filter(row => row.first !== row.second).sort((a, b) => (order[a.verdict] ?? 2) - (order[b.verdict] ?? 2));
    const most = Math.max(1, ...changed.map(row => Math.min(200, Math.abs(row.change_percent || 0))));
    section("Changed figures", changed.length ? table(["figure", "first", "second", "change", "", "verdict"], changed.map(row => {
      const change = row.change_percent, length = change === null ? 0 : Math.min(200, Math.abs(change)) / most * 96;
      const bar = svg("svg", {width: 200, height: 14}, svg("line", {x1: 100, x2: 100, y1: 0, y2: 14, stroke: "var(--faint)"}), svg("rect", {x: change < 0 ? 100 - length : 100, y: 2, width: length, height: 10, fill: change < 0 ? "none" : "var(--a)", stroke: "var(--a)"}));
      return {attributes: {class: row.verdict === "worse" || row.verdict === "missing" ? "bad" : row.verdict === "better" ? "good" : null}, cells: [row.figure, number(row.first), number(row.second), change === null ? "" : `${change > 0 ? "+" : ""}${change.toFixed(1)} %`, bar, row.verdict || ""]};
    }), ["", "n", "n", "n"]) : el("p", {}, "No figure has changed."));
    section("Equal figures", details(plural(rows.length - changed.length, "figure"), false, table(["figure", "value"], rows.filter(row => row.first === row.second).map(row => [row.figure, number(row.first)]), ["", "n"])));
  }
};
function packetTable(packets, marked) {
  return table(["time s", "packet", "channel", "from", "to", "what", "bytes"], packets.map(([at, record, from, to, channel, words, bytes, length]) => ({attributes: {class: record === marked ? "here" : null},
    cells: [at.toFixed(6), record, channel >= 0 ? channel : "", from || "unknown", to || "all", words, el("span", {class: "mono"}, hex(bytes) + (length * 2 > bytes.length ? " \u2026" : ""))]})), ["n", "n", "n"]);
}
function peopleDrawing(method, outcomes) { // two people, each at one end
  const one = outcomes[0];
  const centrals = [...new Set(outcomes.map(outcome => outcome.central_capability))].join("; ");
  return el("div", {}, el("h3", {style: "font-size:1em;margin:.8rem 0 .2rem"}, method), table(["at the central", "at the device", "stops a listener", "stops a man in the middle"],
    [[one.people_at_central || "nothing", one.people_at_device || "nothing", one.stops_listeners ? "yes" : "no", one.stops_man_in_the_middle ? "yes" : "no"]]), el("p", {class: "small"}, `With a central that has: ${centrals}.`));
}

/* the page */

document.title = `${data.title} - yarnswift ${data.verb}`;
const words = {good: "passed", bad: "FAILED", none: "result"};
main.append(el("p", {class: "small"}, `yarnswift ${data.verb}`), el("h1", {}, data.title), el("div", {class: `verdict ${data.verdict}`, role: "status"}, el("strong", {}, words[data.verdict]), el("span", {}, data.summary)));
verbs[data.verb]();
const quote = word => /^[\w.\/:=,+@-]+( [a-z]+)?$/.test(word) ? word : `'${word.replace(/'/g, "'\\''")}'`;
const failedLine = data.verb === "rehearse" && data.more.take && (data.more.take.steps.find(step => !step.passed) || {}).line;
section("What was run", list([["version", `yarnswift ${data.version}`], ["command", el("code", {}, data.command.map(quote).join(" "))], ["seed", (data.more && data.more.take || result).seed]]),
  data.files.map((file, index) => file.text === null ? el("p", {}, file.path) : details(file.path, false, el("pre", {}, file.text.split("\n").flatMap((line, at) => {
    const text = `${String(at + 1).padStart(4)}  ${line}\n`;
    return [index === 0 && at + 1 === failedLine ? el("b", {}, text) : text];
  })))));
addEventListener("beforeprint", () => document.querySelectorAll("details").forEach(node => { node.open = true; }));
})();
