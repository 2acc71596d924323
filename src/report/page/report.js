// Lines that can be zoomed and read: each .live element holds its numbers as JSON. Without scripts
// the still figures say the same.
(function () {
  "use strict";
  var root = document.documentElement;
  function colour(name) { return getComputedStyle(root).getPropertyValue(name).trim(); }
  function shown(x) { return x === null || x === undefined || isNaN(x) ? "" : String(Number(x.toPrecision(6))); }
  function day(ms, dated) {
    if (!dated) return "row " + ms;
    var iso = new Date(ms).toISOString();
    return iso.slice(11, 19) === "00:00:00" ? iso.slice(0, 10) : iso.slice(0, 16).replace("T", " ");
  }
  var names = ["--blue", "--red", "--green", "--gold"];
  var graphs = [];
  document.querySelectorAll(".live").forEach(function (place) {
    var panel = JSON.parse(place.querySelector("script").textContent);
    var draw = place.querySelector(".draw"), reads = place.querySelector(".reads");
    var bands = panel.lines.some(function (l) { return l.low.length > 0; });
    var rows = panel.x.map(function (x, i) {
      return [panel.dated ? new Date(x) : x].concat(panel.lines.map(function (l) {
        var v = l.values[i];
        if (!bands) return v;
        if (v === null) return [null, null, null];
        return l.low.length ? [l.low[i], v, l.high[i]] : [v, v, v];
      }));
    });
    place.hidden = false;
    if (place.dataset.instead) {
      var still = document.getElementById(place.dataset.instead);
      if (still) still.style.display = "none";
    }
    function tell(i) {
      reads.textContent = day(panel.x[i], panel.dated) + panel.lines.map(function (l) {
        if (l.values[i] === null) return "";
        return "   " + l.name + " " + shown(l.values[i]) +
          (l.low.length && l.low[i] !== null ? " (" + shown(l.low[i]) + " to " + shown(l.high[i]) + ")" : "");
      }).join("");
    }
    var hint = "Drag across to zoom, double-click for the whole, move to read.";
    reads.textContent = hint;
    var graph = new Dygraph(draw, rows, {
      labels: ["date"].concat(panel.lines.map(function (l) { return l.name; })),
      customBars: bands, legend: "never", fillAlpha: .18, strokeWidth: 1.4,
      colors: panel.lines.map(function (l, i) { return colour(names[i % names.length]); }),
      gridLineColor: colour("--line"), axisLineColor: colour("--soft"), labelsUTC: true,
      axes: { y: { axisLabelWidth: 52 } },
      highlightCallback: function (event, x, points, row) { tell(row); },
      unhighlightCallback: function () { reads.textContent = hint; }
    });
    place.graph = graph;
    graphs.push([graph, panel]);
  });
  if (window.matchMedia) {
    var dark = window.matchMedia("(prefers-color-scheme: dark)");
    if (dark.addEventListener) dark.addEventListener("change", function () {
      graphs.forEach(function (g) {
        g[0].updateOptions({
          colors: g[1].lines.map(function (l, i) { return colour(names[i % names.length]); }),
          gridLineColor: colour("--line"), axisLineColor: colour("--soft")
        });
      });
    });
  }
})();
