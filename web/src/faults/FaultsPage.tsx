import Add from '@mui/icons-material/AddOutlined';
import Download from '@mui/icons-material/FileDownloadOutlined';
import Upload from '@mui/icons-material/FileUploadOutlined';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import ButtonBase from '@mui/material/ButtonBase';
import Card from '@mui/material/Card';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useRef, useState } from 'react';
import { useSearchParams } from 'react-router';
import type { Schemas } from '../api/client';
import { useCatalogue, useImportFaults } from '../api/hooks';
import { Empty, Failure, Loaded } from '../shell/State';
import { FaultEditor } from './FaultEditor';
import { FaultSheet } from './FaultSheet';
import { FaultsPlace } from './FaultsPlace';

type Entry = Schemas['FaultView'];

const areas = [
  'posture',
  'frame',
  'connection',
  'compression',
  'rotation',
  'feet',
  'legs',
  'timing',
] as const;

/** Every fault that is judged: to be read, searched, adapted and added to. */
export function FaultsPage() {
  const catalogue = useCatalogue();
  const bring = useImportFaults();
  const file = useRef<HTMLInputElement>(null);
  const [search, setSearch] = useSearchParams();
  const [editing, setEditing] = useState<Entry | 'new' | null>(null);
  const text = search.get('text') ?? '';
  const chosen = search.get('fault');
  const set = (name: string, to: string) =>
    setSearch(
      (was) => {
        if (to) was.set(name, to);
        else was.delete(name);
        return was;
      },
      { replace: true },
    );
  return (
    <FaultsPlace
      action={
        <>
          <input
            ref={file}
            type="file"
            accept=".json"
            hidden
            aria-label="File with faults"
            onChange={(e) => {
              const given = e.target.files?.[0];
              if (given) void given.text().then((t) => bring.mutate(t));
              e.target.value = '';
            }}
          />
          <Button
            startIcon={<Upload />}
            loading={bring.isPending}
            onClick={() => file.current?.click()}
          >
            Import
          </Button>
          <Button startIcon={<Download />} href="/api/fault-file" download="own-faults.json">
            Export own
          </Button>
          <Button variant="contained" startIcon={<Add />} onClick={() => setEditing('new')}>
            New fault
          </Button>
        </>
      }
    >
      <Failure error={bring.error} />
      <Loaded of={catalogue}>
        {(all) => {
          const needle = text.toLowerCase();
          const found = all.faults.filter((f) =>
            `${f.id} ${f.name} ${f.area} ${f.reason} ${Object.values(f.cue).join(' ')}`
              .toLowerCase()
              .includes(needle),
          );
          const entry = all.faults.find((f) => f.id === chosen) ?? found[0];
          return (
            <Box
              sx={{
                display: 'grid',
                gridTemplateColumns: '360px 1fr',
                gap: 1.5,
                alignItems: 'start',
              }}
            >
              <Card component="section" aria-label="All faults" sx={{ p: 1.5 }}>
                <TextField
                  fullWidth
                  label="Search"
                  value={text}
                  onChange={(e) => set('text', e.target.value)}
                  sx={{ mb: 1 }}
                />
                {found.length === 0 && <Empty title="No fault is called so." />}
                {areas.map((area) => {
                  const own = found.filter((f) => f.area === area);
                  if (own.length === 0) return null;
                  return (
                    <Box key={area} component="section" aria-label={area} sx={{ mb: 1 }}>
                      <Typography variant="h3" component="h2" sx={{ textTransform: 'capitalize' }}>
                        {area}
                      </Typography>
                      {own.map((f) => (
                        <ButtonBase
                          key={f.id}
                          onClick={() => set('fault', f.id)}
                          aria-pressed={f.id === entry?.id}
                          sx={{
                            display: 'grid',
                            gridTemplateColumns: '36px 1fr auto',
                            width: '100%',
                            textAlign: 'left',
                            px: 0.5,
                            py: 0.35,
                            borderRadius: 0.5,
                            bgcolor: f.id === entry?.id ? 'action.selected' : undefined,
                          }}
                        >
                          <Typography variant="caption" color="text.secondary">
                            {f.id}
                          </Typography>
                          <Typography variant="body2">{f.name}</Typography>
                          <Typography variant="caption" color="text.secondary">
                            {f.own ? 'own' : f.band ? '' : 'by eye'}
                          </Typography>
                        </ButtonBase>
                      ))}
                    </Box>
                  );
                })}
              </Card>
              {entry && (
                <FaultSheet entry={entry} catalogue={all} onAdapt={() => setEditing(entry)} />
              )}
              {editing && (
                <FaultEditor
                  was={editing === 'new' ? undefined : editing}
                  catalogue={all}
                  onClose={() => setEditing(null)}
                />
              )}
            </Box>
          );
        }}
      </Loaded>
    </FaultsPlace>
  );
}
