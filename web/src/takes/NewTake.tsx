import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useRef, useState } from 'react';
import { useNavigate } from 'react-router';
import { useCouples, useCreateTake } from '../api/hooks';
import { FormDialog } from '../shell/FormDialog';
import { todayIso } from '../words';
import { FilmInput, Sending } from './Sending';
import { useUpload } from './upload';

/** Couple, day, place and file of a new take; the file goes up with its progress shown. */
export function NewTake({ onClose }: { onClose: () => void }) {
  const couples = useCouples();
  const create = useCreateTake();
  const navigate = useNavigate();
  const [couple, setCouple] = useState('');
  const [heldOn, setHeldOn] = useState(todayIso());
  const [place, setPlace] = useState('');
  const [floor, setFloor] = useState('');
  const [shoes, setShoes] = useState('');
  const [file, setFile] = useState<File | null>(null);
  const upload = useUpload();
  const input = useRef<HTMLInputElement | null>(null);
  const [error, setError] = useState<Error | null>(null);
  // A take whose clip was refused is used again for the next try.
  const [made, setMade] = useState<string | null>(null);

  const submit = async (again = false) => {
    if (!file) return;
    setError(null);
    try {
      const id =
        made ??
        (await create.mutateAsync({ couple_id: couple, held_on: heldOn, place, floor, shoes })).id;
      setMade(id);
      if (await upload.send(id, file, 1, again)) void navigate(`/takes/${id}`);
    } catch (refused) {
      setError(refused as Error);
    }
  };

  return (
    <FormDialog
      title="New take"
      action="Upload"
      disabled={!couple || !file || upload.sending}
      error={error}
      onSubmit={() => void submit()}
      onClose={onClose}
    >
      <TextField
        select
        required
        label="Couple"
        value={couple}
        onChange={(e) => setCouple(e.target.value)}
        helperText={couples.data?.length === 0 ? 'First add two people and a couple.' : undefined}
      >
        {(couples.data ?? []).map((c) => (
          <MenuItem key={c.id} value={c.id}>
            {c.leader} &amp; {c.follower}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        label="Danced on"
        type="date"
        required
        value={heldOn}
        onChange={(e) => setHeldOn(e.target.value)}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <TextField label="Place" value={place} onChange={(e) => setPlace(e.target.value)} />
      <Box sx={{ display: 'grid', gridTemplateColumns: '1fr 1fr', gap: 1 }}>
        <TextField label="Floor" value={floor} onChange={(e) => setFloor(e.target.value)} />
        <TextField label="Shoes" value={shoes} onChange={(e) => setShoes(e.target.value)} />
      </Box>
      <Box>
        <Button variant="outlined" onClick={() => input.current?.click()}>
          Choose a clip
        </Button>
        <FilmInput at={input} name="Clip file" give={setFile} />
        <Typography variant="body2" component="span" sx={{ ml: 1 }}>
          {file?.name ?? 'MP4, MOV or WebM'}
        </Typography>
      </Box>
      <Typography variant="body2" color="text.secondary">
        Everyone in the picture has agreed to be filmed (a guardian for a minor). The venue’s rules
        come first.
      </Typography>
      <Sending of={upload} again={() => void submit(true)} />
    </FormDialog>
  );
}
