import MenuBook from '@mui/icons-material/MenuBookOutlined';
import Redo from '@mui/icons-material/RedoOutlined';
import Save from '@mui/icons-material/SaveOutlined';
import Undo from '@mui/icons-material/UndoOutlined';
import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import IconButton from '@mui/material/IconButton';
import Tooltip from '@mui/material/Tooltip';
import Typography from '@mui/material/Typography';
import { useEffect, useRef, useState } from 'react';
import { Navigate, useNavigate, useParams, useSearchParams } from 'react-router';
import type { Schemas } from '../api/client';
import { useChart, useCheck, useSaveChart, useWriteDraft } from '../api/hooks';
import { Place } from '../shell/Shell';
import { Failure, Loaded } from '../shell/State';
import { plural, type Role } from '../words';
import { ChartTable } from './ChartTable';
import { ChartText, type TextHandle } from './ChartText';
import { CoupleEntryDialog, StepDialog } from './EntryDialog';
import { FloorStage } from './FloorStage';
import { NotationHelp } from './NotationHelp';
import { Problems } from './Problems';
import { useStepper } from './stepper';

/** A figure that passes, to begin from. */
const blank = `figure my-figure: My figure
  dance: Carolina shag
  about: What it is, in a sentence.
  good for: What it is good for.
  practice: both
  tempo: 108-132
  slot: yes
  start: open-facing
  gap: 98 cm
  holds: L-R
  1 | L step forward 20% | R step forward 20% | compression !together
  2 | R close            | L close            | !together
  3 | L step back 20%    | R step back 20%    | open-facing
  4 | R close            | L close            |
`;

/** Long enough for a word to be typed before its figure is checked. */
const PAUSE = 250;

/** A library figure's text under another name. */
function adapted(text: string) {
  return text.replace(/^figure (\S+?): (.*)$/m, 'figure my-$1: $2, adapted');
}

const keptUnder = (what: string) => `upright-pair chart ${what}`;

/** The editor for a new figure, from nothing or from another one. */
export function NewChart() {
  const from = useSearchParams()[0].get('from') ?? undefined;
  const source = useChart(from);
  if (!from) return <Editor key="new" name="new" start={blank} />;
  return (
    <Loaded of={source}>
      {(view) => <Editor key={from} name={`new ${from}`} start={adapted(view.text)} />}
    </Loaded>
  );
}

/** The editor for one of the studio's own figures. */
export function EditChart() {
  const { id } = useParams();
  const chart = useChart(id);
  return (
    <Loaded of={chart}>
      {(view) =>
        // The library's own figures are adapted, not changed.
        view.version == null ? (
          <Navigate to={`/charts/new?from=${view.card.id}`} replace />
        ) : (
          <Editor
            key={view.card.id}
            name={view.card.id}
            start={view.text}
            kept={{ id: view.card.id, version: view.version }}
          />
        )
      }
    </Loaded>
  );
}

/** The count that a line of the text is about. */
function countOf(text: string, line: number) {
  const lines = text.split('\n').slice(0, line);
  const row = (l: string | undefined) => l !== undefined && /^\s+[^|#:]*\|/.test(l);
  return row(lines.at(-1)) ? lines.filter(row).length - 1 : undefined;
}

function Editor({
  name,
  start,
  kept,
}: {
  name: string;
  start: string;
  kept?: { id: string; version: number };
}) {
  const box = useRef<TextHandle>(null);
  const [initial] = useState(() => localStorage.getItem(keptUnder(name)) ?? start);
  const [restored, setRestored] = useState(initial !== start);
  const [text, setText] = useState(initial);
  const [settled, setSettled] = useState(initial);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(text), PAUSE);
    return () => clearTimeout(timer);
  }, [text]);
  useEffect(() => {
    // What is not saved yet outlives the page.
    if (text === start) localStorage.removeItem(keptUnder(name));
    else localStorage.setItem(keptUnder(name), text);
  }, [name, text, start]);
  const check = useCheck(settled);
  const checked = check.data;
  const fresh = settled === text && !check.isPlaceholderData && !check.isFetching;
  const problems = checked?.problems ?? [];
  const stops = problems.filter((p) => p.severity === 'stops');
  // A line that cannot be read would be lost if the table wrote the text anew.
  const unread = problems.find(
    (p) => p.rule === 'form' && p.count == null && p.severity === 'stops',
  );
  const sketch = checked?.sketch ?? undefined;
  const stepper = useStepper(
    sketch?.beats ?? [],
    sketch?.pattern.beats ?? 0,
    sketch?.draft.tempo[0] ?? 120,
  );
  const save = useSaveChart();
  const write = useWriteDraft();
  const go = useNavigate();
  const [editing, setEditing] = useState<{ count: number; column: Role | 'couple' }>();
  const [help, setHelp] = useState(false);

  const submit = () => {
    if (save.isPending) return;
    save.mutate(
      { ...kept, text },
      {
        onSuccess: (view) => {
          localStorage.removeItem(keptUnder(name));
          void go(`/charts/figure/${view.card.id}`);
        },
      },
    );
  };
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      if ((e.ctrlKey || e.metaKey) && e.key === 's' && !e.defaultPrevented) {
        e.preventDefault();
        submit();
      }
    };
    window.addEventListener('keydown', press);
    return () => window.removeEventListener('keydown', press);
  });
  const draftDone = (draft: Schemas['Draft']) =>
    write.mutate(draft, {
      onSuccess: (written) => {
        box.current?.replace(written);
        setEditing(undefined);
      },
    });
  const shut = () => {
    write.reset();
    setEditing(undefined);
  };
  const label = sketch?.pattern.marks[editing?.count ?? 0]?.label ?? '';

  return (
    <Place
      wide
      title={kept ? `Edit ${sketch?.draft.name ?? kept.id}` : 'New figure'}
      note={
        <span role="status">
          {!fresh
            ? 'checking …'
            : stops.length
              ? `${plural(stops.length, 'problem')} to mend`
              : 'passes every check'}
        </span>
      }
      action={
        <>
          <Tooltip title="Undo (Ctrl z)">
            <IconButton aria-label="Undo" onClick={() => box.current?.undo()}>
              <Undo />
            </IconButton>
          </Tooltip>
          <Tooltip title="Redo (Ctrl y)">
            <IconButton aria-label="Redo" onClick={() => box.current?.redo()}>
              <Redo />
            </IconButton>
          </Tooltip>
          <Button startIcon={<MenuBook />} onClick={() => setHelp(true)}>
            Notation
          </Button>
          <Button
            variant="contained"
            startIcon={<Save />}
            loading={save.isPending}
            onClick={submit}
          >
            Save
          </Button>
        </>
      }
    >
      <Failure error={save.error ?? check.error} />
      {restored && (
        <Alert
          severity="info"
          sx={{ mb: 1 }}
          onClose={() => setRestored(false)}
          action={
            <Button
              color="inherit"
              onClick={() => {
                box.current?.replace(start);
                setRestored(false);
              }}
            >
              Back to the saved text
            </Button>
          }
        >
          This text was typed earlier and not saved yet.
        </Alert>
      )}
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: { xs: '1fr', md: 'minmax(0, 6fr) minmax(0, 5fr)' },
          gap: 1.5,
          alignItems: 'start',
        }}
      >
        <Box sx={{ display: 'grid', gap: 1.5 }}>
          <Card sx={{ height: 'max(320px, calc(100vh - 330px))' }}>
            <ChartText
              ref={box}
              initial={initial}
              problems={problems}
              problemsOf={settled}
              onChange={setText}
              onLine={(line) => {
                const count = countOf(text, line);
                if (count !== undefined) stepper.go(count);
              }}
              onSave={submit}
            />
          </Card>
          <Card component="section" aria-label="Checks" sx={{ px: 1.5, py: 1 }}>
            <Typography variant="h3" component="h2">
              What the checks say
            </Typography>
            {problems.length === 0 ? (
              <Typography variant="body2">Everything holds.</Typography>
            ) : (
              <Problems
                problems={problems}
                onGo={(p) => box.current?.goTo(p.line, p.column)}
                onMend={(mended) => box.current?.replace(mended)}
              />
            )}
          </Card>
        </Box>
        <Box sx={{ display: 'grid', gap: 1.5 }}>
          {sketch ? (
            <>
              <FloorStage sketch={sketch} stepper={stepper} />
              <Card sx={{ pb: 0.5, overflow: 'auto' }}>
                {unread && (
                  <Alert severity="info" icon={false}>
                    Mend line {unread.line} in the text first; then the table can be changed as
                    well.
                  </Alert>
                )}
                <ChartTable
                  sketch={sketch}
                  now={stepper.now}
                  problems={problems}
                  onPick={stepper.go}
                  onEdit={
                    unread || !fresh
                      ? undefined
                      : (count, column) => {
                          stepper.go(count);
                          setEditing({ count, column });
                        }
                  }
                />
              </Card>
            </>
          ) : (
            <Card sx={{ p: 2 }}>
              <Typography variant="body2" color="text.secondary">
                The table and the floor path appear as soon as the text can be laid out.
              </Typography>
            </Card>
          )}
        </Box>
      </Box>
      {sketch && editing && editing.column !== 'couple' && (
        <StepDialog
          draft={sketch.draft}
          role={editing.column}
          count={editing.count}
          label={label}
          entry={
            sketch.rows[editing.column === 'leader' ? 0 : 1]?.find((r) => r.count === editing.count)
              ?.entry
          }
          busy={write.isPending}
          error={write.error}
          onDraft={draftDone}
          onClose={shut}
        />
      )}
      {sketch && editing?.column === 'couple' && (
        <CoupleEntryDialog
          draft={sketch.draft}
          count={editing.count}
          label={label}
          busy={write.isPending}
          error={write.error}
          onDraft={draftDone}
          onClose={shut}
        />
      )}
      <NotationHelp open={help} onClose={() => setHelp(false)} />
    </Place>
  );
}
