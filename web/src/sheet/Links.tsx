import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import type { Schemas } from '../api/client';
import { useCloseLink, useLinks, useMakeLink } from '../api/plan';
import { Failure } from '../shell/State';
import { day } from '../words';

/** Private addresses: made, shown once, closed. */
export function Links({
  kind,
  person,
  days,
  make,
}: {
  kind: Schemas['LinkKind'];
  person?: string;
  days: number;
  make: string;
}) {
  const links = useLinks(kind, person);
  const create = useMakeLink();
  const close = useCloseLink();
  const address = create.data && `${window.location.origin}${create.data.path}`;
  return (
    <Box>
      <Button
        variant="outlined"
        loading={create.isPending}
        onClick={() => create.mutate({ kind, person: person ?? null, days })}
      >
        {make}
      </Button>
      {address && (
        <Box sx={{ display: 'flex', gap: 1, mt: 1.5, alignItems: 'center' }}>
          <TextField
            label="Address, shown only now"
            value={address}
            fullWidth
            onFocus={(e) => (e.target as HTMLInputElement).select()}
            slotProps={{ htmlInput: { readOnly: true } }}
          />
          {/* Browsers lend the clipboard to secure addresses only. */}
          {window.isSecureContext && (
            <Button onClick={() => void navigator.clipboard.writeText(address)}>Copy</Button>
          )}
        </Box>
      )}
      <Failure error={create.error ?? close.error} />
      {(links.data ?? []).map((l) => (
        <Box key={l.id} sx={{ display: 'flex', gap: 1, alignItems: 'center', mt: 1 }}>
          <Typography variant="body2" sx={{ flex: 1 }}>
            Made {day(l.created_at.slice(0, 10))}, opens until {day(l.expires_at.slice(0, 10))}
            {l.opened_at ? `, last opened ${day(l.opened_at.slice(0, 10))}` : ', not opened yet'}
          </Typography>
          <Button onClick={() => close.mutate(l.id)}>Close</Button>
        </Box>
      ))}
    </Box>
  );
}
