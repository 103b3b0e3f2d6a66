import {
  closestCenter,
  DndContext,
  KeyboardSensor,
  PointerSensor,
  useSensor,
  useSensors,
  type DragEndEvent,
} from '@dnd-kit/core';
import {
  SortableContext,
  sortableKeyboardCoordinates,
  verticalListSortingStrategy,
} from '@dnd-kit/sortable';
import Delete from '@mui/icons-material/DeleteOutlined';
import Info from '@mui/icons-material/InfoOutlined';
import Print from '@mui/icons-material/PrintOutlined';
import Redo from '@mui/icons-material/RedoOutlined';
import Tune from '@mui/icons-material/TuneOutlined';
import Undo from '@mui/icons-material/UndoOutlined';
import Warning from '@mui/icons-material/ReportProblemOutlined';
import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import IconButton from '@mui/material/IconButton';
import Link from '@mui/material/Link';
import TextField from '@mui/material/TextField';
import Tooltip from '@mui/material/Tooltip';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import { Link as To, useNavigate, useParams } from 'react-router';
import type { Schemas } from '../api/client';
import { useCharts, useRemoveRoutine, useRoutine } from '../api/hooks';
import { FormDialog } from '../shell/FormDialog';
import { useKeys } from '../shell/keys';
import { Place } from '../shell/Shell';
import { Empty, Loaded } from '../shell/State';
import { plural } from '../words';
import { useDesk, type Desk } from './desk';
import { ItemCard } from './ItemCard';
import { bridgeWords, JointRow } from './JointRow';
import { Lanes } from './Lanes';
import { Palette } from './Palette';
import { RoomPlan } from './RoomPlan';
import { SettingsDialog } from './SettingsDialog';

/** One routine on the desk. */
export function RoutineDesk() {
  const { id = '' } = useParams();
  const routine = useRoutine(id);
  const charts = useCharts();
  return (
    <Loaded of={routine}>
      {(view) => (
        <Loaded of={charts}>
          {(cards) => <OnDesk key={view.routine.id} view={view} cards={cards} />}
        </Loaded>
      )}
    </Loaded>
  );
}

function OnDesk({ view, cards }: { view: Schemas['RoutineView']; cards: Schemas['ChartCard'][] }) {
  const desk = useDesk(view);
  const { plan, keys, name } = desk.sheet;
  const { report, trouble } = view;
  const [chosen, setChosen] = useState<number>();
  const [settings, setSettings] = useState(false);
  const at = chosen !== undefined && chosen < plan.items.length ? chosen : undefined;
  const nameOf = (chart: string) => cards.find((c) => c.id === chart)?.name ?? chart;
  // While a change is on its way the report is about the plan before it.
  const current =
    report &&
    report.items.length === plan.items.length &&
    report.items.every((p, i) => p.chart === plan.items[i]?.chart)
      ? report
      : undefined;

  const move = (from: number, to: number) => {
    if (to < 0 || to >= plan.items.length || from === to) return;
    desk.move(from, to);
    setChosen(to);
  };
  const times = (i: number, n: number) => {
    if (n >= 1 && n <= 64) desk.put(i, { times: n });
  };
  const remove = (i: number) => {
    desk.remove(i);
    setChosen(i < plan.items.length - 1 ? i : i > 0 ? i - 1 : undefined);
  };
  const add = (chart: string) => {
    const place = at === undefined ? plan.items.length : at + 1;
    desk.insert(place, [{ chart, times: 1 }]);
    setChosen(at === undefined ? undefined : place);
  };
  const choose = (by: number) => {
    if (plan.items.length === 0) return;
    setChosen(Math.max(0, Math.min(plan.items.length - 1, (at ?? (by > 0 ? -1 : 0)) + by)));
  };
  const onChosen = (act: (i: number) => void) => () => {
    if (at !== undefined) act(at);
  };
  useKeys({
    j: () => choose(1),
    k: () => choose(-1),
    'Shift+ArrowUp': onChosen((i) => move(i, i - 1)),
    'Shift+ArrowDown': onChosen((i) => move(i, i + 1)),
    '+': onChosen((i) => times(i, (plan.items[i]?.times ?? 1) + 1)),
    '-': onChosen((i) => times(i, (plan.items[i]?.times ?? 1) - 1)),
    Delete: onChosen(remove),
    Escape: () => setChosen(undefined),
    'Ctrl+z': desk.undo,
    'Ctrl+y': desk.redo,
    'Ctrl+Shift+z': desk.redo,
  });
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const dropped = ({ active, over }: DragEndEvent) => {
    if (over) move(keys.indexOf(Number(active.id)), keys.indexOf(Number(over.id)));
  };
  const dances = [...new Set(report?.items.map((p) => p.dance) ?? [])];

  return (
    <Place
      wide
      title={<Name name={name} onName={desk.rename} />}
      note={
        report &&
        `${plural(report.beats, 'beat')}, ${Math.floor(report.seconds / 60)}:${String(Math.round(report.seconds % 60)).padStart(2, '0')} min`
      }
      action={<Actions view={view} desk={desk} onSettings={() => setSettings(true)} />}
    >
      {desk.save.error && (
        <Alert
          severity="error"
          sx={{ mb: 1 }}
          action={
            <Button color="inherit" onClick={desk.reset}>
              Show what is kept
            </Button>
          }
        >
          {desk.save.error.message}
        </Alert>
      )}
      {trouble && (
        <Alert severity="warning" sx={{ mb: 1 }}>
          {trouble}
        </Alert>
      )}
      {report && report.items.length > 0 && (
        <Card sx={{ p: 1, mb: 1.5 }}>
          <Lanes plan={plan} report={report} chosen={at} onPick={setChosen} />
        </Card>
      )}
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: { xs: '1fr', md: '250px minmax(0, 1fr) minmax(0, 400px)' },
          gap: 1.5,
          alignItems: 'start',
        }}
      >
        <Palette
          cards={cards}
          next={at === undefined ? (report?.next ?? []) : []}
          dances={dances}
          onAdd={add}
        />
        <Box component="section" aria-label="Figures in order">
          {plan.items.length === 0 && (
            <Empty title="Choose the first figure on the left.">
              The ones that can follow it then stand first.
            </Empty>
          )}
          <DndContext sensors={sensors} collisionDetection={closestCenter} onDragEnd={dropped}>
            <SortableContext items={keys} strategy={verticalListSortingStrategy}>
              <Box sx={{ display: 'grid', gap: 0.5 }}>
                {plan.items.map((item, i) => {
                  const joint = i > 0 ? current?.joints[i - 1] : undefined;
                  return (
                    <Box key={keys[i]}>
                      {joint && (
                        <Box sx={{ mb: 0.5 }}>
                          <JointRow
                            joint={joint}
                            bridges={current?.bridges[i - 1] ?? []}
                            nameOf={nameOf}
                            onChange={() => desk.put(i, { change: joint.change })}
                            onBridge={(b) => desk.insert(i, b.items, b.last_change)}
                          />
                        </Box>
                      )}
                      <ItemCard
                        id={keys[i] ?? i}
                        at={i}
                        count={plan.items.length}
                        name={nameOf(item.chart)}
                        item={item}
                        placed={current?.items[i]}
                        chosen={i === at}
                        onChoose={() => setChosen(i)}
                        onTimes={(n) => times(i, n)}
                        onMove={(to) => move(i, to)}
                        onRemove={() => remove(i)}
                        onDropChange={() => desk.put(i, { change: [] })}
                      />
                    </Box>
                  );
                })}
              </Box>
            </SortableContext>
          </DndContext>
          {current && current.items.length > 0 && current.left > 0 && (
            <Box sx={{ mt: 1, ml: 2 }}>
              <Typography variant="body2" color="text.secondary">
                {plural(current.left, 'beat')} until the phrase ends.
              </Typography>
              {current.fillers.map((f, i) => (
                <Button
                  key={i}
                  variant="outlined"
                  sx={{ mr: 1, mt: 0.5 }}
                  onClick={() => desk.insert(plan.items.length, f.items)}
                >
                  Fill with: {bridgeWords(f, nameOf)}
                </Button>
              ))}
            </Box>
          )}
        </Box>
        <Box sx={{ display: 'grid', gap: 1.5 }}>
          {report && (
            <Card component="section" aria-label="Room" sx={{ p: 1 }}>
              <RoomPlan plan={plan} report={report} chosen={at} />
              {at !== undefined && current?.items[at] && (
                <>
                  <Typography variant="body2" sx={{ mt: 0.5, fontWeight: 700 }}>
                    {at + 1}. {current.items[at].name}
                  </Typography>
                  <RoomPlan plan={plan} report={current} chosen={at} near height={190} />
                </>
              )}
            </Card>
          )}
          {report && report.items.length > 0 && <Checks report={report} onGo={setChosen} />}
        </Box>
      </Box>
      {settings && (
        <SettingsDialog plan={plan} onPlan={desk.set} onClose={() => setSettings(false)} />
      )}
    </Place>
  );
}

/** The routine's name, to be typed over. */
function Name({ name, onName }: { name: string; onName: (name: string) => void }) {
  const [text, setText] = useState(name);
  const [was, setWas] = useState(name);
  if (was !== name) {
    setWas(name);
    setText(name);
  }
  const done = () => {
    const to = text.trim();
    if (to && to !== name) onName(to);
    else setText(name);
  };
  return (
    <TextField
      variant="standard"
      value={text}
      onChange={(e) => setText(e.target.value)}
      onBlur={done}
      onKeyDown={(e) => {
        if (e.key === 'Enter') (e.target as HTMLElement).blur();
      }}
      slotProps={{
        htmlInput: { 'aria-label': 'Name of the routine', maxLength: 120 },
        input: { sx: { fontSize: 18, fontWeight: 700 }, disableUnderline: text === name },
      }}
      sx={{ width: 300 }}
    />
  );
}

function Actions({
  view,
  desk,
  onSettings,
}: {
  view: Schemas['RoutineView'];
  desk: Desk;
  onSettings: () => void;
}) {
  const [removing, setRemoving] = useState(false);
  const remove = useRemoveRoutine();
  const go = useNavigate();
  const { id, version } = view.routine;
  return (
    <>
      <Tooltip title="Undo (Ctrl z)">
        <span>
          <IconButton aria-label="Undo" disabled={!desk.canUndo} onClick={desk.undo}>
            <Undo />
          </IconButton>
        </span>
      </Tooltip>
      <Tooltip title="Redo (Ctrl y)">
        <span>
          <IconButton aria-label="Redo" disabled={!desk.canRedo} onClick={desk.redo}>
            <Redo />
          </IconButton>
        </span>
      </Tooltip>
      <Button startIcon={<Tune />} onClick={onSettings}>
        Music and floor
      </Button>
      <Button startIcon={<Delete />} onClick={() => setRemoving(true)}>
        Remove
      </Button>
      <Button startIcon={<Print />} component={To} to={`/charts/routines/${id}/sheet`}>
        Sheet
      </Button>
      {removing && (
        <FormDialog
          title="Remove this routine?"
          action="Remove"
          actionFirst
          busy={remove.isPending}
          error={remove.error}
          onSubmit={() =>
            remove.mutate({ id, version }, { onSuccess: () => void go('/charts/routines') })
          }
          onClose={() => setRemoving(false)}
        >
          <Typography>Its figures stay in the library.</Typography>
        </FormDialog>
      )}
    </>
  );
}

function Checks({ report, onGo }: { report: Schemas['Report']; onGo: (item: number) => void }) {
  const cautions = [...new Set(report.items.map((p) => p.caution).filter(Boolean))];
  return (
    <Card component="section" aria-label="Checks" sx={{ px: 1.5, py: 1 }}>
      <Typography variant="h3" component="h2">
        What the checks say
      </Typography>
      {report.problems.every((p) => p.severity !== 'stops') && (
        <Typography variant="body2">
          Every figure joins the next, and all stay on the floor.
        </Typography>
      )}
      <Box component="ul" sx={{ m: 0, p: 0, listStyle: 'none' }}>
        {report.problems.map((p, i) => (
          <Box component="li" key={i} data-rule={p.rule} sx={{ display: 'flex', gap: 1, py: 0.4 }}>
            {p.severity === 'stops' ? (
              <Warning titleAccess="wrong" sx={{ fontSize: 18, color: 'caution.main' }} />
            ) : (
              <Info titleAccess="advice" sx={{ fontSize: 18 }} />
            )}
            <Typography variant="body2">
              {p.item != null && (
                <Link
                  component="button"
                  type="button"
                  variant="body2"
                  onClick={() => onGo(p.item ?? 0)}
                  sx={{ mr: 0.5, verticalAlign: 'baseline' }}
                >
                  Figure {p.item + 1}
                </Link>
              )}
              {p.sentence}{' '}
              <Box component="span" sx={{ color: 'text.secondary' }}>
                {p.suggestion}
              </Box>
            </Typography>
          </Box>
        ))}
      </Box>
      {cautions.map((c) => (
        <Alert key={c} severity="warning" sx={{ mt: 0.5 }}>
          {c}
        </Alert>
      ))}
    </Card>
  );
}
