// Trends: the instrument as a line, the laboratory as points, the band behind them, and the numbers as a table.

// Colours of the style sheet as the canvas wants them: `light-dark()` has to be worked out by an element that uses it.
// All are asked at once, since every change of the page has its styles worked out again; a paint asks anew, by day or night.
const COLOURS = ["--ink", "--soft", "--rule", "--act", "--band"];
let mixed;

function colour(name) {
  if (!mixed) {
    const probes = COLOURS.map(() => document.createElement("i"));
    probes.forEach((probe, index) => probe.style.setProperty("color", `var(${COLOURS[index]})`));
    document.body.append(...probes);
    mixed = Object.fromEntries(COLOURS.map((one, index) => [one, getComputedStyle(probes[index]).color]));
    for (const probe of probes) probe.remove();
    queueMicrotask(() => { mixed = undefined; });
  }
  return mixed[name];
}

const local = (at, figure) => new Date((at + figure.data.offset_s) * 1000).toISOString().slice(11, 16);

function drawBand(plot, { data }) {
  if (!data.band) return;
  const { ctx, bbox } = plot;
  const [low, high] = data.band.control.map((edge) => plot.valToPos(edge, "y", true));
  ctx.save();
  ctx.fillStyle = colour("--band");
  ctx.globalAlpha = 0.55;
  ctx.fillRect(bbox.left, high, bbox.width, low - high);
  ctx.restore();
}

function range(low, high, { data }) {
  const edges = data.band ? [Math.min(low, data.band.control[0]), Math.max(high, data.band.control[1])] : [low, high];
  const pad = (edges[1] - edges[0]) * 0.12 || 1;
  return [edges[0] - pad, edges[1] + pad];
}

function merge(data) {
  const times = [...new Set([...data.live[0], ...data.lab[0]])].sort((a, b) => a - b);
  const place = (series) => {
    const values = new Map(series[0].map((at, index) => [at, series[1][index]]));
    return times.map((at) => values.get(at) ?? null);
  };
  return [times, place(data.live), place(data.lab)];
}

function table(figure) {
  const { data } = figure;
  const rows = document.createElement("table");
  rows.className = "inputs";
  const all = [...data.live[0].map((at, i) => [at, data.live[1][i], "instrument"]), ...data.lab[0].map((at, i) => [at, data.lab[1][i], "laboratory"])];
  for (const [at, value, source] of all.sort((a, b) => b[0] - a[0])) {
    const row = rows.insertRow();
    for (const text of [local(at, figure), value.toFixed(data.decimals), source]) row.insertCell().textContent = text;
  }
  return rows;
}

// A plot for a figure, made once; it reads what the figure last brought, and its colours when it paints.
function plotOf(figure, box) {
  const axis = {
    stroke: () => colour("--soft"),
    grid: { stroke: () => colour("--rule"), width: 1 },
    ticks: { stroke: () => colour("--rule") },
    font: "12px Hyperlegible",
  };
  const points = { show: true, size: 8, fill: () => colour("--act") };
  return new window.uPlot({
    width: box.clientWidth,
    height: 160,
    cursor: { y: false },
    legend: { show: false },
    scales: { x: { time: false }, y: { range: (plot, low, high) => range(low, high, figure) } },
    axes: [
      { ...axis, values: (plot, marks) => marks.map((at) => local(at, figure)), incrs: [1800, 3600, 7200, 14400] },
      { ...axis, size: 48 },
    ],
    series: [
      {},
      { stroke: () => colour("--ink"), width: 1.5, points: { show: false }, spanGaps: true },
      { stroke: () => colour("--act"), width: 0, paths: () => null, points },
    ],
    hooks: { drawClear: [(plot) => drawBand(plot, figure)] },
  }, merge(figure.data), box);
}

const figures = new Map();

async function draw(element) {
  const answer = await fetch(element.dataset.chart);
  if (!answer.ok || !element.isConnected) return;
  const data = await answer.json();
  const known = figures.get(element);
  if (known) {
    known.data = data;
    known.plot.setData(merge(data));
  } else {
    const figure = { data };
    figures.set(element, figure);
    figure.plot = plotOf(figure, element.querySelector(".chart-canvas"));
  }
  element.querySelector(".chart-table").replaceChildren(table(figures.get(element)));
}

function drawAll() {
  for (const [element, { plot }] of figures) {
    if (element.isConnected) continue;
    plot.destroy();
    figures.delete(element);
  }
  for (const element of document.querySelectorAll("[data-chart]")) draw(element);
}

drawAll();
setInterval(drawAll, 60000);
