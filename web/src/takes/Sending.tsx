import AddFilm from '@mui/icons-material/VideoFileOutlined';
import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import LinearProgress from '@mui/material/LinearProgress';
import Typography from '@mui/material/Typography';
import { useRef, useState, type Ref } from 'react';
import { Link } from 'react-router';
import { useUploads } from '../api/hooks';
import { Failure } from '../shell/State';
import { useUpload, type Uploading } from './upload';

/** The file of a clip, opened by a button elsewhere. */
export function FilmInput({
  at,
  name,
  give,
}: {
  at: Ref<HTMLInputElement>;
  name: string;
  give: (file: File | null) => void;
}) {
  return (
    <input
      ref={at}
      type="file"
      hidden
      // What phones record.
      accept="video/mp4,video/quicktime,video/webm,.mp4,.mov,.webm"
      aria-label={name}
      onChange={(e) => give(e.target.files?.[0] ?? null)}
    />
  );
}

/** How far a clip on its way is, and why it was refused. */
export function Sending({ of, again }: { of: Uploading; again: () => void }) {
  return (
    <>
      {of.sent !== null && (
        <Box sx={{ minWidth: 160 }}>
          <LinearProgress variant="determinate" value={100 * of.sent} aria-label="Upload" />
          <Typography variant="body2" role="status">
            {of.waiting
              ? `Waiting for the connection; ${Math.floor(100 * of.sent)} % has arrived`
              : `${Math.floor(100 * of.sent)} % sent`}
          </Typography>
        </Box>
      )}
      {of.same ? (
        <Alert
          severity="info"
          action={
            <>
              <Button color="inherit" component={Link} to={`/takes/${of.same}`}>
                Open it
              </Button>
              <Button color="inherit" onClick={again}>
                Use it again
              </Button>
            </>
          }
        >
          {of.error?.message}
        </Alert>
      ) : (
        <Failure error={of.error} />
      )}
    </>
  );
}

/** Takes the file of one of a take's angles; one that broke off goes on. */
export function BringClip({ take, angle, name }: { take: string; angle: number; name: string }) {
  const upload = useUpload();
  const uploads = useUploads(take);
  const input = useRef<HTMLInputElement | null>(null);
  const [file, setFile] = useState<File | null>(null);
  const half = uploads.data?.find((u) => u.angle === angle);
  const give = (chosen: File | null, again = false) => {
    if (!chosen) return;
    setFile(chosen);
    void upload.send(take, chosen, angle, again);
  };
  return (
    <>
      <Sending of={upload} again={() => give(file, true)} />
      {half && !upload.sending && !upload.same && (
        <Typography variant="body2">
          {Math.floor((100 * half.received) / half.bytes)} % of “{half.file_name}” has arrived.
          Choose the same file and the rest follows.
        </Typography>
      )}
      <Button
        loading={upload.sending}
        startIcon={<AddFilm />}
        onClick={() => input.current?.click()}
        sx={{ flexShrink: 0 }}
      >
        {name}
      </Button>
      <FilmInput
        at={input}
        name={angle === 1 ? 'Clip file' : 'Clip file of another angle'}
        give={(chosen) => give(chosen)}
      />
    </>
  );
}
