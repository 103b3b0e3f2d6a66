import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import { useBin, useEraseTake, useRestoreTake } from '../api/bin';
import type { Schemas } from '../api/client';
import { FormDialog } from '../shell/FormDialog';
import { Failure, Loaded } from '../shell/State';
import { day, plural } from '../words';

type Binned = Schemas['Binned'];

const name = (t: Binned) => `${t.leader} & ${t.follower}, ${day(t.held_on)}, take ${t.number}`;

/** Takes that can be taken back, or erased before their time. */
export function Bin() {
  const bin = useBin();
  const restore = useRestoreTake();
  const erase = useEraseTake();
  const [erasing, setErasing] = useState<Binned | null>(null);
  return (
    <>
      <Typography variant="body2" color="text.secondary" sx={{ mb: 1 }}>
        A take in the bin is seen nowhere else and counts for nothing. After thirty days it is
        erased with its films, marks and corrections.
      </Typography>
      <Loaded of={bin}>
        {(all) =>
          all.length === 0 ? (
            <Typography>The bin is empty.</Typography>
          ) : (
            <Box component="ul" sx={{ listStyle: 'none', p: 0, m: 0 }}>
              {all.map((t) => (
                <Box
                  component="li"
                  key={t.id}
                  sx={{ display: 'flex', gap: 1, alignItems: 'center', flexWrap: 'wrap' }}
                >
                  <Box sx={{ flex: 1, minWidth: 220 }}>
                    <Typography>{name(t)}</Typography>
                    <Typography variant="body2" color="text.secondary">
                      {plural(t.corrections, 'correction')} · erased in {plural(t.days_left, 'day')}
                    </Typography>
                  </Box>
                  <Button
                    loading={restore.isPending && restore.variables === t.id}
                    onClick={() => restore.mutate(t.id)}
                    aria-label={`Take back ${name(t)}`}
                  >
                    Take back
                  </Button>
                  <Button onClick={() => setErasing(t)} aria-label={`Erase ${name(t)}`}>
                    Erase now
                  </Button>
                </Box>
              ))}
            </Box>
          )
        }
      </Loaded>
      <Failure error={restore.error} />
      {erasing && (
        <FormDialog
          title="Erase this take for good?"
          busy={erase.isPending}
          error={erase.error}
          action="Erase for good"
          onSubmit={() => erase.mutate(erasing.id, { onSuccess: () => setErasing(null) })}
          onClose={() => setErasing(null)}
        >
          <Typography>
            {name(erasing)}: its films, landmarks and marks go
            {erasing.corrections > 0 &&
              `, and ${plural(erasing.corrections, 'correction')} with their looks`}
            . This cannot be undone.
          </Typography>
        </FormDialog>
      )}
    </>
  );
}
