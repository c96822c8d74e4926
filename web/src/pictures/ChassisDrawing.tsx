import { Box, Flex, Text } from "@chakra-ui/react";
import { useMemo, useRef, useState } from "react";
import { Link } from "react-router";

import { PlainButton } from "../shared/Buttons";
import {
  type ChassisPicture,
  layOutChassis,
  type PlacedItem,
  type Posture,
  POSTURES,
  postureOf,
} from "./chassisLayout";
import { useSize } from "./useSize";

/** The chassis with the adjuster that is turned now, turned as the set lies on the bench. */
export default function ChassisDrawing({
  picture,
  jobId,
}: {
  picture: ChassisPicture;
  jobId: number;
}) {
  const [turned, setTurned] = useState<{ side: string; posture: Posture } | null>(null);
  const posture = turned?.side === picture.side ? turned.posture : postureOf(picture.side);
  const lit = picture.items.find((item) => item.lit);
  const mistaken = picture.items.filter((item) => item.mistaken).map((item) => item.label);
  if (!lit) return <InOrder picture={picture} jobId={jobId} />;
  return (
    <Box as="figure" m={0} data-testid="chassis-picture" aria-label="The chassis">
      {picture.photo_id ? (
        <PhotoPins jobId={jobId} picture={picture} height={190} />
      ) : (
        <Chassis picture={picture} posture={posture} height={160} />
      )}
      <Flex
        gap={1}
        mt={1}
        wrap="wrap"
        role="group"
        aria-label="How the set lies"
        hidden={picture.photo_id > 0}
      >
        {POSTURES.map((name) => (
          <PlainButton
            key={name}
            px={2}
            fontSize="13px"
            aria-pressed={name === posture}
            borderColor={name === posture ? "glow" : "edge"}
            onClick={() => setTurned({ side: picture.side, posture: name })}
          >
            {name}
          </PlainButton>
        ))}
      </Flex>
      <Box as="figcaption" fontSize="14px" mt={1} lineHeight={1.3}>
        <Text as="span" color="glow">
          ◎ {lit.label}
        </Text>
        : {picture.reach}; {picture.tool}.
        {mistaken.length > 0 && <> Not {mistaken.join(", and not ")} (▲).</>}
      </Box>
    </Box>
  );
}

/** The drawing alone, with every thing that is seen in a posture. */
export function Chassis({
  picture,
  posture,
  height,
}: {
  picture: ChassisPicture;
  posture: Posture;
  height: number;
}) {
  const box = useRef<HTMLDivElement>(null);
  const size = useSize(box);
  const drawn = useMemo(
    () => (size.width > 0 ? layOutChassis(picture, posture, size.width, height) : null),
    [picture, posture, size.width, height],
  );
  const told = drawn?.items.filter((p) => !p.through).map((p) => wordsOf(p));
  return (
    <Box ref={box} h={`${height}px`} bg="ground" borderRadius="4px" overflow="hidden">
      {drawn && (
        <svg width={size.width} height={height} role="img" aria-label={told?.join("; ")}>
          <Box asChild color="dim">
            <rect
              x={drawn.left}
              y={drawn.top}
              width={drawn.width}
              height={drawn.height}
              rx={3}
              fill="none"
              stroke="currentColor"
              strokeWidth={1.5}
            />
          </Box>
          {drawn.front && (
            <Box asChild color="dim">
              <text
                x={drawn.front.x}
                y={drawn.front.y}
                fontSize={13}
                textAnchor="middle"
                fill="currentColor"
                {...(drawn.front.turned
                  ? { transform: `rotate(90 ${drawn.front.x} ${drawn.front.y})` }
                  : {})}
              >
                front
              </text>
            </Box>
          )}
          {drawn.items.map((placed, n) => (
            <Thing key={`${placed.item.key} ${n}`} placed={placed} />
          ))}
        </svg>
      )}
    </Box>
  );
}

/** A photo of the set with a pin for each thing that was found on it. */
export function PhotoPins({
  jobId,
  picture,
  height,
}: {
  jobId: number;
  picture: ChassisPicture;
  height: number;
}) {
  return (
    <Box position="relative" display="inline-block" lineHeight={0}>
      <img
        src={`/api/jobs/${jobId}/photos/${picture.photo_id}`}
        alt="The set"
        style={{ maxHeight: height, maxWidth: "100%" }}
      />
      {picture.items.map((item) => (
        <Box
          key={item.key}
          position="absolute"
          left={`${item.x_mm / 10}%`}
          top={`${item.y_mm / 10}%`}
          transform="translate(-50%, -50%)"
          w={item.lit ? "26px" : "16px"}
          h={item.lit ? "26px" : "16px"}
          borderRadius="50%"
          borderWidth={item.lit ? "4px" : "2px"}
          borderColor={item.lit ? "glow" : item.mistaken ? "outside" : "ink"}
          bg={item.done ? "inside" : "transparent"}
          role="img"
          aria-label={`${item.label}${item.lit ? ", the present one" : ""}`}
        />
      ))}
    </Box>
  );
}

const wordsOf = ({ item }: PlacedItem) =>
  [
    item.label,
    item.reach,
    item.lit ? "the present one" : "",
    item.done ? "turned" : "",
    item.sealed ? "sealed" : "",
    item.mistaken ? "not this one" : "",
  ]
    .filter(Boolean)
    .join(", ");

const ROUND = ["tube", "trimmer", "core"];

/** A thing from above: its outline, and what there is to say of an adjuster as a mark on it. */
function Thing({ placed }: { placed: PlacedItem }) {
  const { item, x, y, width, height, through, short } = placed;
  const adjuster = item.thing === "trimmer" || item.thing === "core";
  const least = adjuster ? 7 : 4;
  // of two cores in one can the near one is drawn within the far one
  const grown = item.reach === "far" ? 6 : 0;
  const r = Math.max(Math.min(width, height) / 2, least) + grown;
  const tone = item.lit ? "glow" : through ? "dim" : "ink";
  return (
    <Box asChild color={tone}>
      <g
        transform={`translate(${x} ${y})`}
        fill="none"
        stroke="currentColor"
        strokeWidth={item.lit ? 3 : 1.5}
        data-thing={item.key}
      >
        {ROUND.includes(item.thing) ? (
          <circle r={r} {...(through ? { strokeDasharray: "3 3" } : {})} />
        ) : (
          <rect
            x={-width / 2}
            y={-height / 2}
            width={width}
            height={height}
            rx={2}
            {...(through ? { strokeDasharray: "3 3" } : {})}
          />
        )}
        {item.thing === "gang" && <path d={plates(width, height)} strokeWidth={1} />}
        {adjuster && item.reach !== "far" && <path d={`M${-r + 2} 0H${r - 2}`} />}
        {item.lit && <circle r={r + 7} strokeWidth={2} strokeDasharray="4 3" />}
        {item.done && <path d="M5 3l4 5 8 -11" strokeWidth={2} />}
        {item.sealed && <path d={`M${-r} ${-r} ${r} ${r}M${-r} ${r} ${r} ${-r}`} />}
        {item.mistaken && (
          <Box asChild color="outside">
            <path d={`M${r + 3} ${r + 2}l6 -11 6 11Z`} fill="currentColor" stroke="none" />
          </Box>
        )}
        {short && (
          <text y={5} fontSize={13} textAnchor="middle" fill="currentColor" stroke="none">
            {short}
          </text>
        )}
      </g>
    </Box>
  );
}

/** The plates of a gang, seen on edge. */
const plates = (width: number, height: number) =>
  [0.2, 0.35, 0.5, 0.65, 0.8]
    .map((at) => `M${-width / 2 + 4} ${-height / 2 + at * height}h${width - 8}`)
    .join("");

/** Where nobody has said where things are: the order of the chain, and the way to the places. */
function InOrder({ picture, jobId }: { picture: ChassisPicture; jobId: number }) {
  return (
    <Box data-testid="chassis-order" fontSize="14px">
      <Text color="dim">
        Nobody has said where the adjusters are; this is their order in the chain.
      </Text>
      <Box as="ol" pl={5} maxH="170px" overflowY="auto" listStyleType="decimal">
        {picture.order.map((at) => (
          <li key={at.label}>
            <Text as="span" color={at.lit ? "glow" : "ink"}>
              {at.lit ? "◎ " : at.done ? "✓ " : ""}
              {at.label}
            </Text>
          </li>
        ))}
      </Box>
      <Text mt={1}>
        {picture.reach && `${picture.reach}; `}
        {picture.tool}.
      </Text>
      <PlainButton asChild mt={1}>
        <Link to={`/jobs/${jobId}/chassis`}>Place them on the chassis</Link>
      </PlainButton>
    </Box>
  );
}
