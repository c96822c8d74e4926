import { Box } from "@chakra-ui/react";

const COLOURS: Record<string, string> = {
  inside: "inside",
  "near the edge": "near",
  high: "outside",
  low: "outside",
};

/** The colour token of a verdict word; unknown for what is not judged. */
export const verdictColour = (verdict: string) => COLOURS[verdict] ?? "unknown";

/** Filled lozenge, half lozenge, triangle pointing the way it is off, dotted ring. */
export function VerdictShape({ verdict, size = 14 }: { verdict: string; size?: number }) {
  return (
    <Box as="span" color={verdictColour(verdict)} display="inline-block" lineHeight={0}>
      <svg width={size} height={size} viewBox="0 0 14 14" aria-hidden="true">
        {shape(verdict)}
      </svg>
    </Box>
  );
}

function shape(verdict: string) {
  const line = { stroke: "currentColor", strokeWidth: 1.6 };
  switch (verdict) {
    case "inside":
      return <path d="M7 0.8 13.2 7 7 13.2 0.8 7Z" fill="currentColor" />;
    case "near the edge":
      return (
        <>
          <path d="M7 0.8 0.8 7 7 13.2Z" fill="currentColor" />
          <path d="M7 0.8 13.2 7 7 13.2" fill="none" {...line} />
        </>
      );
    case "high":
      return <path d="M7 1 13.4 12.6H0.6Z" fill="currentColor" />;
    case "low":
      return <path d="M7 13 0.6 1.4H13.4Z" fill="currentColor" />;
    default:
      return <circle cx="7" cy="7" r="5.4" fill="none" {...line} strokeDasharray="1.8 2.2" />;
  }
}
