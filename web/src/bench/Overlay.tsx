import { useRef, useState, type PointerEvent } from 'react';
import type { Schemas } from '../api/client';
import { stage } from '../theme';
import type { Role } from '../words';
import { bones, landmarks, type Body } from './landmarks';

export type Pixel = [number, number];

export interface Handle {
  id: number;
  pixel: Pixel;
  name: string;
}

/** Points that can be placed, chosen and dragged. */
export interface Marking {
  handles: Handle[];
  chosen: number;
  role: Role | null;
  place: (pixel: Pixel) => void;
  choose: (id: number) => void;
  move: (id: number, pixel: Pixel) => void;
}

const colour = (role: Role | null) =>
  role === 'leader' ? stage.leader : role === 'follower' ? stage.follower : stage.mark;

function Mark({
  at,
  role,
  size,
  solid,
}: {
  at: Pixel;
  role: Role | null;
  size: number;
  solid: boolean;
}) {
  const look = {
    fill: solid ? colour(role) : stage.ground,
    fillOpacity: solid ? 1 : 0.75,
    stroke: colour(role),
    strokeWidth: 1.6,
    vectorEffect: 'non-scaling-stroke' as const,
  };
  if (role === 'follower') return <circle cx={at[0]} cy={at[1]} r={size} {...look} />;
  if (role === 'leader') {
    return <rect x={at[0] - size} y={at[1] - size} width={2 * size} height={2 * size} {...look} />;
  }
  return (
    <path
      d={`M${at[0] - size} ${at[1]}h${2 * size}M${at[0]} ${at[1] - size}v${2 * size}`}
      {...look}
      strokeWidth={2}
    />
  );
}

/** How strongly points are drawn that may as well lie elsewhere. */
const PALE = 0.3;

/** A body's bones of which both ends are in the picture. */
function bonesOf(pose: Body) {
  const p = (l: string) => pose.points[l] as Pixel | undefined;
  return bones.flatMap(([a, b]) => {
    const [from, to] = [p(a), p(b)];
    const pale = pose.unsure?.some((l) => l === a || l === b) ?? false;
    const ends = from && to && { x1: from[0], y1: from[1], x2: to[0], y2: to[1] };
    return ends ? [{ key: a + b, pale, ends }] : [];
  });
}

function Skeleton({ pose, faint }: { pose: Body; faint: boolean }) {
  const p = (l: string) => pose.points[l] as Pixel | undefined;
  return (
    <g opacity={faint ? 0.7 : 1} pointerEvents="none">
      {bonesOf(pose).map(({ key, pale, ends }) => (
        <g key={key} opacity={pale ? PALE : 1}>
          {[true, false].map((under) => (
            <line
              key={String(under)}
              {...ends}
              stroke={under ? stage.ground : colour(pose.role)}
              strokeOpacity={under ? 0.55 : 1}
              strokeWidth={under ? 5 : 2.2}
              strokeDasharray={!under && pose.role === 'follower' ? '7 3' : undefined}
              vectorEffect="non-scaling-stroke"
            />
          ))}
        </g>
      ))}
      {landmarks.map(([l]) => {
        const at = p(l);
        return (
          at && (
            <g key={l} opacity={pose.unsure?.includes(l) ? PALE : 1} data-point={l}>
              <Mark at={at} role={pose.role} size={4} solid={false} />
            </g>
          )
        );
      })}
    </g>
  );
}

/** A solved body as the camera would see it: broad and pale under what is marked. */
function Solved({ pose, faint }: { pose: Schemas['Pose']; faint: boolean }) {
  return (
    <g opacity={faint ? 0.3 : 0.45} pointerEvents="none" data-solved={pose.role}>
      {bonesOf(pose).map(({ key, ends }) => (
        <line
          key={key}
          {...ends}
          stroke={colour(pose.role)}
          strokeWidth={14}
          strokeLinecap="round"
          vectorEffect="non-scaling-stroke"
        />
      ))}
    </g>
  );
}

/** Bodies, floor grid and the points in hand, drawn over the film in its own pixels. */
export function Overlay({
  size,
  poses,
  solved = [],
  grid,
  marking,
  onHover,
}: {
  size: [number, number];
  poses: { pose: Body; faint: boolean }[];
  solved?: { pose: Schemas['Pose']; faint: boolean }[];
  grid: number[][][] | null;
  marking: Marking | null;
  onHover: (pixel: Pixel | null) => void;
}) {
  const svg = useRef<SVGSVGElement>(null);
  const [drag, setDrag] = useState<{ id: number; pixel: Pixel } | null>(null);

  const pixel = (e: PointerEvent): Pixel | null => {
    const matrix = svg.current?.getScreenCTM();
    if (!matrix) return null;
    const p = new DOMPoint(e.clientX, e.clientY).matrixTransform(matrix.inverse());
    return [p.x, p.y];
  };
  const down = (e: PointerEvent) => {
    const at = pixel(e);
    if (!marking || !at || e.button !== 0) return;
    // Heels lie on one another in profile: a point that is not set yet is set, wherever the click falls.
    const unset = !marking.handles.some((h) => h.id === marking.chosen);
    const hit = unset
      ? undefined
      : marking.handles.find((h) => Math.hypot(h.pixel[0] - at[0], h.pixel[1] - at[1]) < 9);
    if (hit) {
      marking.choose(hit.id);
      setDrag({ id: hit.id, pixel: hit.pixel });
      svg.current?.setPointerCapture(e.pointerId);
    } else if (at[0] >= 0 && at[1] >= 0 && at[0] <= size[0] && at[1] <= size[1]) {
      marking.place(at);
    }
  };
  const move = (e: PointerEvent) => {
    const at = pixel(e);
    onHover(at);
    if (drag && at) setDrag({ id: drag.id, pixel: at });
  };
  const up = () => {
    const from = marking?.handles.find((h) => h.id === drag?.id);
    // A click that chooses a point must not move it by a hair.
    if (
      drag &&
      from &&
      Math.hypot(from.pixel[0] - drag.pixel[0], from.pixel[1] - drag.pixel[1]) > 0.6
    ) {
      marking?.move(drag.id, drag.pixel);
    }
    setDrag(null);
  };

  return (
    <svg
      ref={svg}
      data-testid="overlay"
      viewBox={`0 0 ${size[0]} ${size[1]}`}
      style={{
        position: 'absolute',
        inset: 0,
        width: '100%',
        height: '100%',
        cursor: marking ? 'crosshair' : 'default',
        touchAction: marking ? 'none' : 'auto',
      }}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
      onPointerLeave={() => onHover(null)}
      aria-hidden="true"
    >
      {grid?.map((line, i) => {
        const [a, b] = line;
        return (
          <line
            key={i}
            x1={a?.[0]}
            y1={a?.[1]}
            x2={b?.[0]}
            y2={b?.[1]}
            stroke={stage.grid}
            strokeWidth={1}
            opacity={0.75}
            vectorEffect="non-scaling-stroke"
          />
        );
      })}
      {solved.map(({ pose, faint }) => (
        <Solved key={pose.role} pose={pose} faint={faint} />
      ))}
      {poses.map(({ pose, faint }) => (
        <Skeleton key={pose.role} pose={pose} faint={faint} />
      ))}
      {marking?.handles.map((h) => {
        const at = drag?.id === h.id ? drag.pixel : h.pixel;
        const chosen = h.id === marking.chosen;
        return (
          <g key={h.id}>
            <Mark at={at} role={marking.role} size={chosen ? 6 : 5} solid={chosen} />
            {chosen && (
              <text
                x={at[0] + 10}
                y={at[1] - 10}
                fontSize={21}
                fill={stage.ink}
                stroke={stage.ground}
                strokeWidth={5}
                paintOrder="stroke"
              >
                {h.name}
              </text>
            )}
          </g>
        );
      })}
    </svg>
  );
}
