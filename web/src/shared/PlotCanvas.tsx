import "uplot/dist/uPlot.min.css";

import { Box, Flex, Text } from "@chakra-ui/react";
import { useEffect, useMemo, useRef, useState } from "react";
import uPlot from "uplot";

import type { PlotData } from "../api/client";
import { apart, type Column, joined, pointWords } from "./plotData";

const LABEL_GAP = 16;
const FONT = "13px 'Source Sans 3 Variable', sans-serif";

/** What is drawn at this moment: a curve that moves is drawn anew without a new canvas. */
type Shown = { current: PlotData };

/** What a canvas is made for; plots alike in it differ in their points only. */
const shapeOf = (plot: PlotData) =>
  JSON.stringify([
    plot.x_label,
    plot.y_label,
    plot.tolerance,
    plot.decades,
    plot.lines.map((line) => [line.role, line.label, line.x.length > MOST_DOTS]),
  ]);
// a line of more points than this is drawn without dots
const MOST_DOTS = 40;

type Ink = { ink: string; dim: string; edge: string; glow: string; band: string; inside: string };

function inks(element: HTMLElement): Ink {
  const style = getComputedStyle(element);
  const of = (name: string) => style.getPropertyValue(`--chakra-colors-${name}`).trim();
  return {
    ink: of("ink"),
    dim: of("dim"),
    edge: of("edge"),
    glow: of("glow"),
    band: of("band"),
    inside: of("inside"),
  };
}

function series(role: string, label: string, dotted: boolean, ink: Ink): uPlot.Series {
  const points = { show: dotted, size: 8, fill: ink.glow, stroke: ink.glow };
  switch (role) {
    case "measured":
      return { label, stroke: ink.glow, width: 2, points, spanGaps: true };
    case "expected":
      return { label, stroke: ink.dim, width: 2, dash: [6, 5], points: { show: false } };
    case "found":
      return { label, stroke: ink.dim, width: 2, points: { ...points, fill: ink.dim } };
    case "low":
    case "high":
      return { label, stroke: ink.inside, width: 1, points: { show: false } };
    default:
      return { label, stroke: ink.ink, width: 2, points: { show: false } };
  }
}

function axis(label: string, ink: Ink): uPlot.Axis {
  return {
    label,
    stroke: ink.dim,
    font: FONT,
    labelFont: FONT,
    labelSize: 20,
    size: 34,
    grid: { stroke: ink.edge, width: 1 },
    ticks: { stroke: ink.edge, width: 1 },
  };
}

function bands(plot: PlotData, ink: Ink): uPlot.Band[] {
  const high = plot.lines.findIndex((line) => line.role === "high") + 1;
  const low = plot.lines.findIndex((line) => line.role === "low") + 1;
  return high > 0 && low > 0 ? [{ series: [high, low], fill: ink.band }] : [];
}

/** Half-planes of a symmetric tolerance, drawn behind the lines. */
function toleranceBand(tolerance: number | null, ink: Ink): uPlot.Plugin {
  return {
    hooks: {
      drawClear: (chart) => {
        if (tolerance === null) return;
        const top = chart.valToPos(tolerance, "y", true);
        const bottom = chart.valToPos(-tolerance, "y", true);
        chart.ctx.fillStyle = ink.band;
        chart.ctx.fillRect(chart.bbox.left, top, chart.bbox.width, bottom - top);
      },
    },
  };
}

/** Upright lines with their words at the top, each a little lower than the one before. */
function uprights(shown: Shown, ink: Ink): uPlot.Plugin {
  const tones: Record<string, string> = { nominal: ink.inside, limit: ink.inside, peak: ink.glow };
  return {
    hooks: {
      draw: (chart) => {
        const context = chart.ctx;
        const { top, height, left, width } = chart.bbox;
        context.save();
        context.font = FONT;
        context.lineWidth = 1.5;
        let row = 0;
        for (const mark of shown.current.marks) {
          const x = chart.valToPos(mark.x, "x", true);
          if (x < left || x > left + width) continue;
          context.strokeStyle = context.fillStyle = tones[mark.role] ?? ink.dim;
          context.setLineDash(mark.role === "nominal" ? [] : [4, 4]);
          context.beginPath();
          context.moveTo(x, top);
          context.lineTo(x, top + height);
          context.stroke();
          if (!mark.label) continue;
          const edge = mark.role === "edge";
          row += edge ? 0 : 1;
          const outward = edge ? x < left + width / 2 : x > left + width / 2;
          context.textAlign = outward ? "right" : "left";
          const y = edge ? top + height - 8 : top + 16 * row;
          context.fillText(mark.label, x + (outward ? -6 : 6), y);
        }
        context.restore();
      },
    },
  };
}

/** Names written at the ends of their lines, so that no legend is needed. */
function directLabels(shown: Shown, ink: Ink): uPlot.Plugin {
  return {
    hooks: {
      draw: (chart) => {
        const named = shown.current.lines.filter((line) => !["low", "high"].includes(line.role));
        if (named.length < 2) return;
        const context = chart.ctx;
        context.save();
        context.font = FONT;
        context.textAlign = "right";
        const places = named.flatMap((line) => {
          const x = line.x.at(-1);
          const y = line.y.at(-1);
          if (x === undefined || y === undefined || y === null) return [];
          const lift = line.role === "measured" ? 14 : -8;
          const right = Math.min(
            chart.valToPos(x, "x", true),
            chart.bbox.left + chart.bbox.width - 4,
          );
          return [{ line, right, y: chart.valToPos(y, "y", true) + lift }];
        });
        apart(places, LABEL_GAP).forEach(({ line, right, y }) => {
          context.fillStyle = line.role === "measured" ? ink.glow : ink.ink;
          context.fillText(line.label, right, y);
        });
        context.restore();
      },
    },
  };
}

function options(shown: Shown, width: number, height: number, ink: Ink): uPlot.Options {
  const plot = shown.current;
  return {
    width,
    height,
    legend: { show: false },
    cursor: { drag: { x: false, y: false } },
    scales: {
      x: { time: false, ...(plot.decades ? { distr: 3 as const } : {}) },
      y: {
        range: (_, low, high) => {
          const reach = plot.tolerance ?? 0;
          // marked curves need room for their words above
          const room = shown.current.marks.length > 0 ? (high - low) / 3 : 0;
          return uPlot.rangeNum(Math.min(low, -reach), Math.max(high + room, reach), 0.1, true);
        },
      },
    },
    series: [
      {},
      ...plot.lines.map((line) => series(line.role, line.label, line.x.length <= MOST_DOTS, ink)),
    ],
    axes: [axis(plot.x_label, ink), { ...axis(plot.y_label, ink), size: 46 }],
    bands: bands(plot, ink),
    plugins: [toleranceBand(plot.tolerance, ink), uprights(shown, ink), directLabels(shown, ink)],
  };
}

/** What the page leaves for the plot. */
const room = (element: HTMLElement) => ({
  width: Math.max(element.clientWidth, 120),
  height: Math.max(element.clientHeight, 110),
});

/** The canvas itself: redrawn with new data, theme or width; arrow keys move its cursor. */
export default function PlotCanvas({ plot }: { plot: PlotData }) {
  const place = useRef<HTMLDivElement>(null);
  const chart = useRef<uPlot | null>(null);
  const [at, setAt] = useState<number | null>(null);
  const columns: Column[] = useMemo(() => joined(plot), [plot]);
  const last = (columns[0]?.length ?? 1) - 1;
  const shape = useMemo(() => shapeOf(plot), [plot]);
  const shown = useRef(plot);
  const points = useRef(columns);

  useEffect(() => {
    shown.current = plot;
    points.current = columns;
    chart.current?.setData(columns as uPlot.AlignedData);
  }, [plot, columns]);

  useEffect(() => {
    const element = place.current;
    if (!element) return undefined;
    const draw = () => {
      chart.current?.destroy();
      const { width, height } = room(element);
      chart.current = new uPlot(
        options(shown, width, height, inks(element)),
        points.current as uPlot.AlignedData,
        element,
      );
    };
    draw();
    const size = new ResizeObserver(() => {
      chart.current?.setSize(room(element));
    });
    size.observe(element);
    const theme = new MutationObserver(draw);
    theme.observe(document.documentElement, { attributes: true, attributeFilter: ["class"] });
    return () => {
      size.disconnect();
      theme.disconnect();
      chart.current?.destroy();
      chart.current = null;
    };
  }, [shape]);

  const onKey = (event: React.KeyboardEvent) => {
    const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (way === undefined) return;
    event.preventDefault();
    const next = Math.min(Math.max((at ?? -1) + way, 0), last);
    setAt(next);
    const x = columns[0]?.[next];
    const drawn = chart.current;
    if (drawn && x !== undefined && x !== null) {
      drawn.setCursor({ left: drawn.valToPos(x, "x"), top: drawn.height / 3 });
    }
  };

  return (
    <Flex direction="column" flex="1" minH={0}>
      <Box
        ref={place}
        flex="1"
        minH={0}
        overflow="hidden"
        tabIndex={0}
        role="img"
        aria-label={`${plot.title}; left and right arrows read the points`}
        onKeyDown={onKey}
        minW={0}
      />
      <Text aria-live="polite" fontFamily="mono" fontSize="13px" color="dim" minH="18px">
        {at === null ? "" : pointWords(plot, columns, at)}
      </Text>
    </Flex>
  );
}
