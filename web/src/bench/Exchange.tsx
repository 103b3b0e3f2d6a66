import More from '@mui/icons-material/IosShareOutlined';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import IconButton from '@mui/material/IconButton';
import Link from '@mui/material/Link';
import Stack from '@mui/material/Stack';
import Tooltip from '@mui/material/Tooltip';
import Typography from '@mui/material/Typography';
import { useRef, useState } from 'react';
import type { Schemas } from '../api/client';
import { useBringLandmarks, useDropLandmarks } from '../api/hooks';
import { Failure } from '../shell/State';

const tables = [
  ['document', 'The whole take as a document (JSON)'],
  ['tables/measures.csv', 'All measures as a table (CSV)'],
  ['tables/joints.csv', 'Joints in space as a table (CSV)'],
  ['tables/leader.trc', 'The leader’s joints as trajectories (TRC)'],
  ['tables/follower.trc', 'The follower’s joints as trajectories (TRC)'],
] as const;

/** Landmarks of other programs in, documents and tables out. */
export function Exchange({ take, clips }: { take: string; clips: Schemas['ClipView'][] }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Tooltip title="Files in and out">
        <IconButton size="small" aria-label="Files in and out" onClick={() => setOpen(true)}>
          <More fontSize="small" />
        </IconButton>
      </Tooltip>
      <Dialog open={open} onClose={() => setOpen(false)} maxWidth="sm" fullWidth>
        <DialogTitle>Files in and out</DialogTitle>
        <DialogContent>
          <Typography variant="h3" gutterBottom>
            Landmarks from another program
          </Typography>
          <Typography variant="body2" color="text.secondary" gutterBottom>
            A table (CSV) or key points (JSON) of both dancers, frame by frame. What you mark by
            hand outranks them.
          </Typography>
          <Stack sx={{ gap: 1, my: 1 }}>
            {clips.map((clip) => (
              <Landmarks key={clip.angle} take={take} clip={clip} alone={clips.length === 1} />
            ))}
          </Stack>
          <Typography variant="h3" gutterBottom sx={{ mt: 2 }}>
            For other programs
          </Typography>
          <Stack component="ul" sx={{ gap: 0.75, m: 0, pl: 2.5 }}>
            {tables.map(([path, words]) => (
              <li key={path}>
                <Link href={`/api/takes/${take}/${path}`} download variant="body2">
                  {words}
                </Link>
              </li>
            ))}
          </Stack>
        </DialogContent>
        <DialogActions>
          <Button onClick={() => setOpen(false)}>Close</Button>
        </DialogActions>
      </Dialog>
    </>
  );
}

function Landmarks({
  take,
  clip,
  alone,
}: {
  take: string;
  clip: Schemas['ClipView'];
  alone: boolean;
}) {
  const input = useRef<HTMLInputElement | null>(null);
  const bring = useBringLandmarks(take);
  const drop = useDropLandmarks(take);
  const { angle, landmarks } = clip;
  const name = alone ? 'Landmarks' : `Landmarks of angle ${angle}`;
  const brought = bring.data;
  return (
    <div>
      <Stack direction="row" sx={{ gap: 1, alignItems: 'center' }}>
        <Typography variant="body2" sx={{ flex: 1 }}>
          {alone ? '' : `Angle ${angle}: `}
          {landmarks ? `from ${landmarks}` : 'none brought'}
        </Typography>
        {landmarks && (
          <Button size="small" loading={drop.isPending} onClick={() => drop.mutate(angle)}>
            Take away
          </Button>
        )}
        <Button
          size="small"
          variant="outlined"
          loading={bring.isPending}
          onClick={() => input.current?.click()}
        >
          {landmarks ? 'Bring others' : 'Bring'}
        </Button>
        <input
          ref={input}
          type="file"
          hidden
          accept=".csv,.json,text/csv,application/json"
          aria-label={`${name} file`}
          onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) bring.mutate({ angle, file });
            e.target.value = '';
          }}
        />
      </Stack>
      {brought && (
        <Typography variant="body2" role="status" color="text.secondary">
          {brought.frames} frames brought
          {brought.exchanged > 0
            ? `; in ${brought.exchanged} the dancers’ names were exchanged and put right`
            : ''}
          {brought.sides > 0
            ? `; left and right were exchanged and put right at ${brought.sides} moments.`
            : '.'}
        </Typography>
      )}
      <Failure error={bring.error ?? drop.error} />
    </div>
  );
}
