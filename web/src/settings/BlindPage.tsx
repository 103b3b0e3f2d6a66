import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import type { Schemas } from '../api/client';
import { useTake } from '../api/hooks';
import { useBlindFrames, useKeepBlind } from '../api/plan';
import { landmarks } from '../bench/landmarks';
import type { Marking, Pixel } from '../bench/Overlay';
import { usePlayer } from '../bench/player';
import { Stage } from '../bench/Stage';
import { useKeys } from '../shell/keys';
import { Place } from '../shell/Shell';
import { Failure, Loaded } from '../shell/State';

type Frame = Schemas['BlindFrame'];
type Points = Record<string, Pixel>;

/** One frame: its joints are asked for one after the other. */
function OneFrame({
  take,
  clip,
  frame,
  heading,
  onDone,
}: {
  take: string;
  clip: Schemas['ClipView'];
  frame: Frame;
  heading: string;
  onDone: (points: Points) => void;
}) {
  const player = usePlayer(clip, frame.at);
  const [points, setPoints] = useState<Points>({});
  const [hidden, setHidden] = useState<string[]>([]);
  const next = frame.landmarks.find((l) => !(l in points) && !hidden.includes(l));
  const back = () => {
    const last = frame.landmarks.findLast((l) => l in points || hidden.includes(l));
    if (!last) return;
    setPoints(Object.fromEntries(Object.entries(points).filter(([k]) => k !== last)));
    setHidden(hidden.filter((l) => l !== last));
  };
  const settle = (all: Points, unseen: string[]) => {
    setPoints(all);
    setHidden(unseen);
    if (frame.landmarks.every((l) => l in all || unseen.includes(l))) onDone(all);
  };
  const place = (pixel: Pixel) => {
    if (next) settle({ ...points, [next]: pixel }, hidden);
  };
  const skip = () => {
    if (next) settle(points, [...hidden, next]);
  };
  useKeys({ Backspace: back, 'Ctrl+z': back, x: skip });
  const index = (l: string) => landmarks.findIndex(([id]) => id === l);
  const marking: Marking = {
    handles: Object.entries(points).map(([l, pixel]) => ({
      id: index(l),
      pixel,
      name: landmarks[index(l)]?.[1] ?? l,
    })),
    chosen: next ? index(next) : -1,
    role: frame.role,
    place,
    choose: () => undefined,
    move: (id, pixel) => {
      const l = landmarks[id]?.[0];
      if (l) setPoints({ ...points, [l]: pixel });
    },
  };
  return (
    <>
      <Box sx={{ display: 'flex', gap: 1, alignItems: 'center', mb: 1 }}>
        <Typography sx={{ flex: 1 }} role="status">
          {heading} · the {frame.role}:{' '}
          <strong>{next ? `point at the ${landmarks[index(next)]?.[1]}` : 'done'}</strong> (
          {Object.keys(points).length + hidden.length} of {frame.landmarks.length})
        </Typography>
        <Button onClick={skip}>I cannot see it (x)</Button>
        <Button onClick={back} disabled={Object.keys(points).length + hidden.length === 0}>
          One back
        </Button>
      </Box>
      <Box sx={{ height: 'min(72vh, 640px)' }}>
        <Stage
          take={take}
          clip={clip}
          player={player}
          poses={[]}
          grid={null}
          marking={marking}
          caption={null}
        />
      </Box>
    </>
  );
}

/** A sitting: frames one after the other, then what came of it. */
function Sitting({
  take,
  clip,
  frames,
}: {
  take: string;
  clip: Schemas['ClipView'];
  frames: Frame[];
}) {
  const keep = useKeepBlind(take);
  const navigate = useNavigate();
  const [done, setDone] = useState<Schemas['BlindMarks'][]>([]);
  const frame = frames[done.length];
  const keepFrame = (points: Points) => {
    if (!frame) return;
    const all = [...done, { role: frame.role, at: frame.at, points }];
    setDone(all);
    if (all.length === frames.length) {
      keep.mutate(all, { onSuccess: () => void navigate('/settings') });
    }
  };
  return (
    <>
      <Failure error={keep.error} />
      {frame ? (
        <OneFrame
          key={done.length}
          take={take}
          clip={clip}
          frame={frame}
          heading={`Frame ${done.length + 1} of ${frames.length}`}
          onDone={keepFrame}
        />
      ) : (
        <Typography role="status">Comparing…</Typography>
      )}
    </>
  );
}

/** Frames marked again without seeing the first marks. */
export function BlindPage() {
  const { id = '' } = useParams();
  const take = useTake(id);
  const frames = useBlindFrames(id);
  const clip = take.data?.clip;
  return (
    <Place wide title="Mark again" note={<Link to="/settings">Settings</Link>}>
      <Loaded of={frames}>
        {(f) => (clip ? <Sitting take={id} clip={clip} frames={f} /> : null)}
      </Loaded>
    </Place>
  );
}
