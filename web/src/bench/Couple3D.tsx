import Box from '@mui/material/Box';
import { Canvas, useThree } from '@react-three/fiber';
import { useLayoutEffect, useMemo, useState, type PointerEvent } from 'react';
import { BufferGeometry, Quaternion, Vector3 } from 'three';
import type { Schemas } from '../api/client';
import { stage } from '../theme';
import type { Role } from '../words';

/** Pairs of landmarks that a limb joins, and its half width in metres, by their numbers. */
const limbs: [number, number, number][] = [
  [1, 3, 0.035],
  [3, 5, 0.028],
  [5, 7, 0.024],
  [2, 4, 0.035],
  [4, 6, 0.028],
  [6, 8, 0.024],
  [9, 11, 0.055],
  [11, 13, 0.04],
  [10, 12, 0.055],
  [12, 14, 0.04],
  [13, 15, 0.025],
  [15, 17, 0.025],
  [14, 16, 0.025],
  [16, 18, 0.025],
  [1, 2, 0.045],
  [9, 10, 0.06],
];

const colours: Record<Role, string> = { leader: '#2b93a0', follower: '#c9607f' };

/** Our floor is Z = 0 and up is Z; the scene's up is Y. */
const turned = ([x = 0, y = 0, z = 0]: number[]) => new Vector3(x, z, -y);

const up = new Vector3(0, 1, 0);

function Limb({
  from,
  to,
  wide,
  colour,
}: {
  from: Vector3;
  to: Vector3;
  wide: number;
  colour: string;
}) {
  const { middle, turn, long } = useMemo(() => {
    const way = to.clone().sub(from);
    return {
      middle: from.clone().add(to).multiplyScalar(0.5),
      turn: new Quaternion().setFromUnitVectors(up, way.clone().normalize()),
      long: way.length(),
    };
  }, [from, to]);
  return (
    <mesh position={middle} quaternion={turn} castShadow>
      <capsuleGeometry args={[wide, Math.max(0.01, long), 4, 10]} />
      <meshStandardMaterial color={colour} roughness={0.8} />
    </mesh>
  );
}

function Figure({ body }: { body: Schemas['SpaceBody'] }) {
  const joints = useMemo(() => body.joints.map(turned), [body]);
  const colour = colours[body.role];
  const at = (i: number) => joints[i] ?? new Vector3();
  const half = (a: number, b: number) => at(a).clone().add(at(b)).multiplyScalar(0.5);
  const chest = half(1, 2);
  const hips = half(9, 10);
  const head = chest
    .clone()
    .add(at(0).clone().sub(chest).multiplyScalar(0.95))
    .setY(at(0).y + 0.02);
  return (
    <group>
      {limbs.map(([a, b, wide]) => (
        <Limb key={`${a} ${b}`} from={at(a)} to={at(b)} wide={wide} colour={colour} />
      ))}
      <Limb from={hips} to={chest} wide={0.11} colour={colour} />
      <mesh position={head} castShadow>
        <sphereGeometry args={[0.1, 20, 16]} />
        <meshStandardMaterial color={colour} roughness={0.8} />
      </mesh>
      {/* Leader's joints are square, the follower's round, as everywhere. */}
      {joints.map((j, i) => (
        <mesh key={i} position={j}>
          {body.role === 'leader' ? (
            <boxGeometry args={[0.055, 0.055, 0.055]} />
          ) : (
            <sphereGeometry args={[0.036, 12, 10]} />
          )}
          <meshStandardMaterial color="#f4efe6" roughness={0.6} />
        </mesh>
      ))}
    </group>
  );
}

/** Points the scene's camera. */
function Aim({ from, at }: { from: [number, number, number]; at: Vector3 }) {
  const camera = useThree((s) => s.camera);
  const invalidate = useThree((s) => s.invalidate);
  const [x, y, z] = from;
  useLayoutEffect(() => {
    camera.position.set(x, y, z);
    camera.lookAt(at);
    invalidate();
  }, [camera, invalidate, x, y, z, at]);
  return null;
}

const limit = (v: number, low: number, high: number) => Math.min(high, Math.max(low, v));

/** The couple in space; dragged or turned by the arrow keys. */
export default function Couple3D({
  bodies,
  corners,
}: {
  bodies: Schemas['SpaceBody'][];
  /** Of the reference on the floor, metres. */
  corners: number[][];
}) {
  const [view, setView] = useState({ round: 20, above: 18 });
  const [grip, setGrip] = useState<[number, number] | null>(null);
  const turn = (round: number, above: number) =>
    setView((v) => ({ round: v.round + round, above: limit(v.above + above, 0, 89) }));
  const drag = (e: PointerEvent) => {
    if (!grip) return;
    turn((grip[0] - e.clientX) * 0.5, (e.clientY - grip[1]) * 0.4);
    setGrip([e.clientX, e.clientY]);
  };
  const middle = useMemo(() => {
    const hips = bodies.flatMap((b) => [b.joints[9], b.joints[10]]).map((j) => turned(j ?? []));
    const sum = hips.reduce((a, b) => a.add(b), new Vector3());
    return hips.length ? sum.multiplyScalar(1 / hips.length).setY(0.85) : new Vector3(0, 0.85, 0);
  }, [bodies]);
  const [round, above] = [view.round, view.above].map((a) => (a * Math.PI) / 180) as [
    number,
    number,
  ];
  const far = 3.6;
  const from: [number, number, number] = [
    middle.x + far * Math.sin(round) * Math.cos(above),
    middle.y + far * Math.sin(above),
    middle.z + far * Math.cos(round) * Math.cos(above),
  ];
  const plate = useMemo(
    () =>
      new BufferGeometry().setFromPoints(corners.map(([x, y]) => turned([x ?? 0, y ?? 0, 0.002]))),
    [corners],
  );
  return (
    <Box
      role="application"
      aria-label="The couple in space: turn with the arrow keys"
      tabIndex={0}
      onKeyDown={(e) => {
        const by: Record<string, [number, number]> = {
          ArrowLeft: [-10, 0],
          ArrowRight: [10, 0],
          ArrowUp: [0, 8],
          ArrowDown: [0, -8],
        };
        const to = by[e.key];
        if (!to) return;
        // The Bench's own arrow keys step through the film.
        e.preventDefault();
        e.stopPropagation();
        turn(...to);
      }}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        setGrip([e.clientX, e.clientY]);
      }}
      onPointerMove={drag}
      onPointerUp={() => setGrip(null)}
      data-round={Math.round(view.round)}
      sx={{
        height: 250,
        borderRadius: 1,
        overflow: 'hidden',
        bgcolor: stage.ground,
        cursor: grip ? 'grabbing' : 'grab',
        touchAction: 'none',
      }}
    >
      <Canvas frameloop="demand" camera={{ fov: 32, near: 0.1, far: 30 }}>
        <Aim from={from} at={middle} />
        <ambientLight intensity={1.1} />
        <directionalLight position={[3, 6, 4]} intensity={2.2} />
        <gridHelper args={[8, 16, '#3a444b', '#2a3238']} />
        <lineLoop geometry={plate}>
          <lineBasicMaterial color="#e8e2d4" />
        </lineLoop>
        {bodies.map((b) => (
          <Figure key={b.role} body={b} />
        ))}
      </Canvas>
    </Box>
  );
}
