import { Box } from "@chakra-ui/react";

import { verdictColour } from "../shared/VerdictShape";
import { VerdictMark } from "./VerdictMark";
import type { Words } from "./wordsLayout";

const TONES: Record<Words["tone"], string> = {
  ink: "ink",
  dim: "dim",
  glow: "glow",
  suspect: "outside",
  verdict: "ink",
};

/** Every line of text of a picture, where its layout put it. */
export function PictureWords({ words }: { words: Words[] }) {
  return words.map((line) => <Line key={line.key} words={line} />);
}

function Line({ words }: { words: Words }) {
  const { text, x, y, size, align, tone, mono, verdict } = words;
  return (
    <>
      {tone === "verdict" && verdict && (
        <VerdictMark verdict={verdict} x={x - 9} y={y - 4} size={13} />
      )}
      <Box
        asChild
        color={tone === "verdict" ? verdictColour(verdict ?? "") : TONES[tone]}
        fontFamily={mono ? "mono" : "body"}
      >
        <text x={x} y={y} fontSize={size} textAnchor={align} fill="currentColor">
          {text}
        </text>
      </Box>
    </>
  );
}
