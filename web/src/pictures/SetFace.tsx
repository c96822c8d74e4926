import { Box } from "@chakra-ui/react";

import type { Schemas } from "../api/client";
import { faceLayout } from "./faceLayout";

type Line = Pick<Schemas["ShelfShape"], "job_id" | "set_name" | "photo_id" | "face">;

/** The set as one would know it: its photo, or its face drawn from the sheet. */
export function SetFace({ line }: { line: Line }) {
  if (line.photo_id !== null) {
    return (
      <Box asChild w="100%" h="88px" objectFit="cover" borderRadius="3px">
        <img
          src={`/api/jobs/${line.job_id}/photos/${line.photo_id}?small=true`}
          alt={`${line.set_name}, photographed`}
        />
      </Box>
    );
  }
  const face = faceLayout(line.face);
  const scales = line.face.map((b) => `${b.band} in ${b.unit}`).join(", ");
  return (
    <svg
      viewBox={`0 0 ${face.width} ${face.height}`}
      width="100%"
      role="img"
      aria-label={`Drawn face of the set: ${scales}`}
      fontFamily="var(--chakra-fonts-mono)"
    >
      <g fill="none" stroke="var(--chakra-colors-dim)" strokeWidth={1.5}>
        <rect x={1} y={1} width={face.width - 2} height={face.height - 2} rx={8} />
        {face.knobs.map((knob) => (
          <g key={knob.x}>
            <circle cx={knob.x} cy={knob.y} r={9} />
            <line x1={knob.x} y1={knob.y - 8} x2={knob.x} y2={knob.y - 2} />
          </g>
        ))}
      </g>
      {face.scales.map((scale) => (
        <g key={scale.y} stroke="var(--chakra-colors-ink)" fill="var(--chakra-colors-ink)">
          <line x1={scale.left} y1={scale.y} x2={scale.right} y2={scale.y} strokeWidth={1} />
          {scale.marks.map((mark) => (
            <line
              key={mark.x}
              x1={mark.x}
              y1={scale.y - 5}
              x2={mark.x}
              y2={scale.y}
              strokeWidth={1.5}
            />
          ))}
          {scale.words.map((word) => (
            <text
              key={word.text + word.x}
              x={word.x}
              y={word.y}
              fontSize={13}
              textAnchor={word.align}
              stroke="none"
            >
              {word.text}
            </text>
          ))}
        </g>
      ))}
      <line
        x1={face.pointer.x}
        y1={face.pointer.top}
        x2={face.pointer.x}
        y2={face.pointer.bottom}
        stroke="var(--chakra-colors-outside)"
        strokeWidth={2}
      />
    </svg>
  );
}
