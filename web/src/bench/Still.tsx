import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import type { Schemas } from '../api/client';
import { posesNear } from './cells';
import { usePlayer } from './player';
import { Stage } from './Stage';

/** The moment a finding shows most, with the marked bodies over it; its counts can be played round and round. */
export function Still({
  take,
  clip,
  poses,
  at,
  span,
}: {
  take: string;
  clip: Schemas['ClipView'];
  poses: Schemas['Pose'][];
  /** Microseconds of the clip. */
  at: number;
  span: [number, number];
}) {
  const player = usePlayer(clip, at);
  return (
    <Box>
      <Box sx={{ height: 250 }}>
        <Stage
          take={take}
          clip={clip}
          player={player}
          poses={posesNear(poses, player.frames, player.at)}
          grid={null}
          marking={null}
          caption={null}
        />
      </Box>
      <Button
        onClick={() => (player.playing ? player.seekTime(at) : player.playRange(span))}
        sx={{ mt: 0.5 }}
      >
        {player.playing ? 'Back to the still' : 'Play these counts slowly'}
      </Button>
    </Box>
  );
}
