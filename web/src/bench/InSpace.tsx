import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import LinearProgress from '@mui/material/LinearProgress';
import Tooltip from '@mui/material/Tooltip';
import Typography from '@mui/material/Typography';
import { lazy, Suspense } from 'react';
import type { Schemas } from '../api/client';
import { useSpace } from '../api/hooks';
import { RoleMark } from '../shapes/RoleMark';
import { Failure } from '../shell/State';
import { reading, roles } from '../words';
import type { Cell } from './cells';
import { Panel } from './Panel';
import { Spots } from './Spots';

const Couple3D = lazy(() => import('./Couple3D'));

/** The couple at the count in hand as solved bodies, and the angles that only they tell. */
export function InSpace({
  take,
  version,
  figure,
  cell,
  corners,
  wanted,
  open,
  toggle,
}: {
  take: string;
  version: number;
  /** The figure danced. */
  figure: string | null;
  cell: Cell | undefined;
  /** Of the reference on the floor, metres. */
  corners: number[][];
  /** The measure for which a place of the phone is sought. */
  wanted: string | null;
  open: boolean;
  toggle: () => void;
}) {
  const space = useSpace(take, version, open);
  const all = space.data?.space;
  const here = roles.map((role) =>
    all?.bodies.find(
      (b) => b.role === role && b.repetition === cell?.repetition && b.count === cell.count,
    ),
  );
  const shown = here.flatMap((b) => b ?? []);
  const missing = [...new Set((all?.missing ?? []).flatMap((m) => m ?? []))];
  return (
    <Panel
      title="In space"
      note={
        <Button size="small" onClick={toggle} aria-expanded={open} sx={{ py: 0, minWidth: 0 }}>
          {open ? 'Close' : 'Show'}
        </Button>
      }
    >
      {!open ? (
        <Typography variant="body2" color="text.secondary">
          The couple from all sides, and how they lean, face and hold their arms.
        </Typography>
      ) : (
        <>
          {space.isFetching && <LinearProgress aria-label="Solving the bodies" sx={{ mb: 1 }} />}
          <Failure error={space.error} />
          {missing.map((m) => (
            <Typography key={m} variant="body2" color="text.secondary">
              {m}
            </Typography>
          ))}
          {all && missing.length < 2 && shown.length === 0 && (
            <Typography variant="body2" color="text.secondary">
              No body is marked at this count: hips, shoulders and feet are needed.
            </Typography>
          )}
          {shown.length > 0 && (
            <>
              <Suspense fallback={<Box sx={{ height: 250 }} />}>
                <Couple3D bodies={shown} corners={corners} />
              </Suspense>
              <Typography variant="caption" color="text.secondary" component="p">
                Broad and pale over the film: the same bodies, as each camera sees them.
              </Typography>
              <Numbers numbers={all?.numbers ?? []} here={here} />
            </>
          )}
          <Spots key={wanted} take={take} figure={figure} corners={corners} wanted={wanted} />
        </>
      )}
    </Panel>
  );
}

function Numbers({
  numbers,
  here,
}: {
  numbers: Schemas['SpaceNumber'][];
  here: (Schemas['SpaceBody'] | undefined)[];
}) {
  return (
    <Box
      component="table"
      aria-label="Numbers in space"
      sx={{ width: '100%', mt: 1, borderSpacing: 0, '& td, & th': { py: 0.25, px: 0.5 } }}
    >
      <thead>
        <tr>
          <Typography component="th" variant="caption" sx={{ textAlign: 'left' }}>
            value ± one sigma
          </Typography>
          {roles.map((role) => (
            <Typography key={role} component="th" variant="caption" sx={{ textAlign: 'right' }}>
              <RoleMark role={role} /> {role}
            </Typography>
          ))}
        </tr>
      </thead>
      <tbody>
        {numbers.map((n, i) => (
          <tr key={n.id}>
            <Typography component="th" variant="body2" sx={{ textAlign: 'left', fontWeight: 400 }}>
              {n.name}
            </Typography>
            {here.map((b, r) => (
              <Typography
                key={r}
                component="td"
                variant="body2"
                sx={{ textAlign: 'right', whiteSpace: 'nowrap' }}
              >
                <Value number={n} of={b?.readings[i]} />
              </Typography>
            ))}
          </tr>
        ))}
      </tbody>
    </Box>
  );
}

function Value({
  number,
  of,
}: {
  number: Schemas['SpaceNumber'];
  of: Schemas['Reading'] | undefined;
}) {
  if (!of) return <>–</>;
  if (of.seen === 'value') return <>{reading(number.id, of, number.unit)}</>;
  return (
    <Tooltip title={of.why}>
      <Box component="span" tabIndex={0} sx={{ color: 'text.secondary' }}>
        not visible
      </Box>
    </Tooltip>
  );
}
