import { Box, Flex, Grid, Heading, Stack, Text } from "@chakra-ui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link, useParams } from "react-router";

import type { Schemas } from "../../api/client";
import { chassisQuery, jobQuery } from "../../api/queries";
import { useWrite } from "../../journey/useWrite";
import {
  type ChassisItem,
  type ChassisPicture,
  isMirrored,
  placeAt,
  type Posture,
  postureOf,
} from "../../pictures/chassisLayout";
import { Chassis, PhotoPins } from "../../pictures/ChassisDrawing";
import { BareButton, LitButton, PlainButton } from "../../shared/Buttons";
import { KeyHint } from "../../shared/KeyHint";
import { Trouble } from "../../shared/Trouble";
import { useAttempt } from "../../shared/useAttempt";

type Thing = Schemas["ThingShape"];
type Spot = { x: number; y: number };
/** What is looked at: a side of the chassis, or a photo of the set. */
type Ground = { side: "top" | "underside" | "rear" } | { photo: Schemas["PhotoPinShape"] };

const SIDES = ["top", "underside", "rear"] as const;
const SMALL_STEP = 5;
const LARGE_STEP = 25;
const HEIGHT = 430;
const THOUSANDTHS = 1000;

/** Where things are on a set: put there by mouse, or by arrow keys and Enter. */
function ChassisPage() {
  const jobId = Number(useParams().jobId);
  const { data: job } = useQuery(jobQuery(jobId, null));
  const { data: chassis, error } = useQuery(chassisQuery(jobId));
  if (!job || !chassis) return <Trouble error={error} />;
  return (
    <Stack as="main" p={6} gap={4} data-testid="chassis-page">
      <Flex gap={3} align="center" wrap="wrap">
        <Heading fontSize="28px" fontWeight={500} flex="1">
          Places on {job.set_name}
        </Heading>
        <BareButton asChild>
          <Link to={`/jobs/${jobId}`}>To the step</Link>
        </BareButton>
      </Flex>
      <Editor key={jobId} jobId={jobId} version={job.version} chassis={chassis} />
    </Stack>
  );
}

function Editor({
  jobId,
  version,
  chassis,
}: {
  jobId: number;
  version: number;
  chassis: Schemas["ChassisShape"];
}) {
  const [ground, setGround] = useState<Ground>({ side: "top" });
  const [what, setWhat] = useState(chassis.things.find((t) => !t.place)?.what ?? "");
  const [moved, setMoved] = useState<Spot | null>(null);
  const writing = useWrite(jobId, version);
  const queries = useQueryClient();
  const { trouble, attempt } = useAttempt();
  const board = useRef<HTMLDivElement>(null);
  const onPhoto = "photo" in ground;
  const side = onPhoto ? "photo" : ground.side;
  const most = onPhoto
    ? { x: THOUSANDTHS, y: THOUSANDTHS }
    : { x: chassis.width_mm, y: ground.side === "rear" ? chassis.height_mm : chassis.depth_mm };
  const own = chassis.things.filter((t) => t.what === what);
  const chosen = own[0];
  const standing = own.find((t) => isHere(t.place, ground));
  // a place on another side of the chassis is given up when it is put here
  const replaced = own.find((t) => t.line && (t.place?.side === "photo") === onPhoto);
  const spot =
    moved ??
    (standing?.place
      ? { x: standing.place.x_mm, y: standing.place.y_mm }
      : { x: most.x / 2, y: most.y / 2 });

  const pick = (next: string) => {
    setWhat(next);
    setMoved(null);
    board.current?.focus();
  };
  const look = (next: Ground) => {
    setGround(next);
    setMoved(null);
  };
  const put = (at: Spot, more: Partial<Record<"reach" | "sealed", string>> = {}) =>
    attempt(["place", what, at, ground, more], async () => {
      await writing.write(
        "/api/jobs/{job_id}/registers/{register}",
        {
          line: replaced?.line ?? "",
          step: "",
          fields: {
            what,
            side,
            x: at.x.toFixed(0),
            y: at.y.toFixed(0),
            reach: more.reach ?? (standing?.place?.reach || "only one"),
            sealed: more.sealed ?? (standing?.place?.sealed ? "yes" : "no"),
            photo: onPhoto ? ground.photo.title : "",
          },
        },
        { register: "places" },
      );
      await queries.invalidateQueries({ queryKey: ["chassis", jobId] });
      setMoved(null);
    });
  const onKey = (event: React.KeyboardEvent) => {
    const way = ARROWS[event.key];
    if (event.key === "Enter") {
      event.preventDefault();
      void put(spot);
    } else if (way) {
      event.preventDefault();
      const step = event.shiftKey ? LARGE_STEP : SMALL_STEP;
      const turned = isMirrored(side) ? -1 : 1;
      const up = onPhoto ? -1 : 1;
      setMoved({
        x: within(spot.x + way[0] * step * turned, most.x),
        y: within(spot.y + way[1] * step * up, most.y),
      });
    }
  };
  const item = (t: Thing, at: Spot, lit: boolean): ChassisItem => ({
    key: t.what,
    label: t.name,
    thing: t.thing,
    side,
    x_mm: at.x,
    y_mm: at.y,
    width_mm: t.width_mm,
    depth_mm: t.depth_mm,
    reach: t.place?.reach ?? "",
    sealed: t.place?.sealed ?? false,
    lit,
    done: false,
    mistaken: false,
  });
  const others = chassis.things.flatMap((t) =>
    t.what !== what && t.place && isHere(t.place, ground)
      ? [item(t, { x: t.place.x_mm, y: t.place.y_mm }, false)]
      : [],
  );
  const picture: ChassisPicture = {
    ...chassis,
    side,
    tool: "",
    reach: "",
    order: [],
    photo_id: onPhoto ? ground.photo.photo_id : 0,
    items: [...others, ...(chosen ? [item(standing ?? chosen, spot, true)] : [])],
  };
  const posture: Posture = onPhoto ? "upright" : postureOf(ground.side);
  return (
    <Grid templateColumns={{ base: "1fr", lg: "300px minmax(0, 1fr)" }} gap={4}>
      <Stack
        bg="panel"
        p={3}
        gap={1}
        maxH="560px"
        overflowY="auto"
        role="group"
        aria-label="Things"
      >
        {[...new Map(chassis.things.map((t) => [t.what, t])).values()].map((thing) => (
          <PlainButton
            key={thing.what}
            justifyContent="flex-start"
            aria-pressed={thing.what === what}
            borderColor={thing.what === what ? "glow" : "edge"}
            onClick={() => pick(thing.what)}
            data-testid="thing"
          >
            {chassis.things.some((t) => t.what === thing.what && t.place) ? "◆ " : "○ "}
            {thing.name}
          </PlainButton>
        ))}
      </Stack>
      <Stack gap={2}>
        <Flex gap={2} wrap="wrap" role="group" aria-label="What is looked at">
          {SIDES.map((side) => (
            <PlainButton
              key={side}
              aria-pressed={!onPhoto && ground.side === side}
              borderColor={!onPhoto && ground.side === side ? "glow" : "edge"}
              onClick={() => look({ side })}
            >
              {side}
            </PlainButton>
          ))}
          {chassis.photos.map((photo) => (
            <PlainButton
              key={photo.photo_id}
              aria-pressed={onPhoto && ground.photo.photo_id === photo.photo_id}
              borderColor={onPhoto && ground.photo.photo_id === photo.photo_id ? "glow" : "edge"}
              onClick={() => look({ photo })}
            >
              photo: {photo.title}
            </PlainButton>
          ))}
        </Flex>
        <Box
          ref={board}
          tabIndex={0}
          role="application"
          aria-label={`${chosen?.name ?? ""}: arrow keys move it, with Shift further, Enter keeps it`}
          onKeyDown={onKey}
          onClick={(event) => {
            const at = placeAt(event, picture, posture, HEIGHT);
            if (at) void put({ x: within(at.x, most.x), y: within(at.y, most.y) });
          }}
          cursor="crosshair"
          data-testid="board"
        >
          {onPhoto ? (
            <PhotoPins jobId={jobId} picture={picture} height={HEIGHT} />
          ) : (
            <Chassis picture={picture} posture={posture} height={HEIGHT} />
          )}
        </Box>
        <Flex gap={3} align="center" wrap="wrap">
          <Text fontFamily="mono" role="status" data-testid="spot">
            {chosen?.name}: {spot.x.toFixed(0)}, {spot.y.toFixed(0)}{" "}
            {onPhoto ? "thousandths of the photo" : "mm from the left and the front"}
          </Text>
          <LitButton onClick={() => void put(spot)}>
            Put it there <KeyHint keys="Enter" />
          </LitButton>
          {REACHES.map(([word, reach]) => (
            <PlainButton key={reach} onClick={() => void put(spot, { reach })}>
              {word}
            </PlainButton>
          ))}
          <PlainButton
            onClick={() => void put(spot, { sealed: standing?.place?.sealed ? "no" : "yes" })}
          >
            {standing?.place?.sealed ? "not sealed" : "sealed"}
          </PlainButton>
        </Flex>
        <Text color="dim" fontSize="15px">
          Click where it is, or move it by the arrow keys (Shift: further) and press Enter. What the
          sheet says is taken over as soon as you put it elsewhere.
        </Text>
        <Trouble error={trouble} />
      </Stack>
    </Grid>
  );
}

const REACHES = [
  ["the near one of two", "near"],
  ["the far one", "far"],
] as const;
const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, 1],
  ArrowDown: [0, -1],
};
const within = (value: number, most: number) => Math.min(Math.max(value, 0), most);
/** Whether a place is on what is looked at. */
const isHere = (place: Thing["place"], ground: Ground) =>
  "photo" in ground ? place?.photo_id === ground.photo.photo_id : place?.side === ground.side;

export const route = { Component: ChassisPage };
