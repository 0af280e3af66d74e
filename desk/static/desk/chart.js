// Trends: the instrument as a line, the laboratory as points, the band behind them, and the numbers as a table.
const style = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

function bandPlugin(band) {
  return {
    hooks: {
      drawClear: (plot) => {
        if (!band) return;
        const { ctx, bbox } = plot;
        const top = plot.valToPos(band.control[1], "y", true);
        const bottom = plot.valToPos(band.control[0], "y", true);
        ctx.save();
        ctx.fillStyle = style("--band");
        ctx.globalAlpha = 0.55;
        ctx.fillRect(bbox.left, top, bbox.width, bottom - top);
        ctx.restore();
      },
    },
  };
}

function merge(data) {
  const times = [...new Set([...data.live[0], ...data.lab[0]])].sort((a, b) => a - b);
  const place = (series) => {
    const values = new Map(series[0].map((at, index) => [at, series[1][index]]));
    return times.map((at) => values.get(at) ?? null);
  };
  return [times, place(data.live), place(data.lab)];
}

function table(data) {
  const rows = document.createElement("table");
  rows.className = "inputs";
  const clock = (at) => new Date((at + data.offset_s) * 1000).toISOString().slice(11, 16);
  const all = [...data.live[0].map((at, i) => [at, data.live[1][i], "instrument"]), ...data.lab[0].map((at, i) => [at, data.lab[1][i], "laboratory"])];
  for (const [at, value, source] of all.sort((a, b) => b[0] - a[0])) {
    const row = rows.insertRow();
    for (const text of [clock(at), value.toFixed(data.decimals), source]) row.insertCell().textContent = text;
  }
  return rows;
}

async function draw(figure) {
  const answer = await fetch(figure.dataset.chart);
  if (!answer.ok) return;
  const data = await answer.json();
  const box = figure.querySelector(".chart-canvas");
  const axis = { stroke: style("--soft"), grid: { stroke: style("--rule"), width: 1 }, ticks: { stroke: style("--rule") }, font: "12px Hyperlegible" };
  const shift = data.offset_s;
  const options = {
    width: box.clientWidth,
    height: 160,
    cursor: { y: false },
    legend: { show: false },
    scales: { x: { time: false }, y: { range: (plot, low, high) => {
      const edges = data.band ? [Math.min(low, data.band.control[0]), Math.max(high, data.band.control[1])] : [low, high];
      const pad = (edges[1] - edges[0]) * 0.12 || 1;
      return [edges[0] - pad, edges[1] + pad];
    } } },
    axes: [
      { ...axis, values: (plot, marks) => marks.map((at) => new Date((at + shift) * 1000).toISOString().slice(11, 16)), incrs: [1800, 3600, 7200, 14400] },
      { ...axis, size: 48 },
    ],
    series: [{}, { stroke: style("--ink"), width: 1.5, points: { show: false }, spanGaps: true }, { stroke: style("--act"), width: 0, paths: () => null, points: { show: true, size: 8, fill: style("--act") } }],
    plugins: [bandPlugin(data.band)],
  };
  box.replaceChildren();
  new window.uPlot(options, merge(data), box);
  figure.querySelector(".chart-table").replaceChildren(table(data));
}

export function drawAll() {
  for (const figure of document.querySelectorAll("[data-chart]")) draw(figure);
}

drawAll();
setInterval(drawAll, 60000);
