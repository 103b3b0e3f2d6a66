import { useSortable } from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import Add from '@mui/icons-material/AddOutlined';
import Delete from '@mui/icons-material/DeleteOutlined';
import Down from '@mui/icons-material/ArrowDownwardOutlined';
import Drag from '@mui/icons-material/DragIndicatorOutlined';
import Remove from '@mui/icons-material/RemoveOutlined';
import Up from '@mui/icons-material/ArrowUpwardOutlined';
import Box from '@mui/material/Box';
import Card from '@mui/material/Card';
import IconButton from '@mui/material/IconButton';
import Link from '@mui/material/Link';
import Typography from '@mui/material/Typography';
import { Link as To } from 'react-router';
import type { Schemas } from '../api/client';
import { eighths, plural } from '../words';
import { changeWords } from './JointRow';

export const alignmentName: Record<Schemas['Alignment'], string> = {
  down: 'down the floor',
  down_left: 'diagonally to the left wall',
  left_wall: 'to the left wall',
  back_left: 'diagonally back, left wall',
  back: 'back up the floor',
  back_right: 'diagonally back, right wall',
  right_wall: 'to the right wall',
  down_right: 'diagonally to the right wall',
};

/** Where a figure lies in the music, and where the leader faces. */
export function placeWords(p: Schemas['Placed']) {
  return `bar ${p.bar}${p.beat > 1 ? `, beat ${p.beat}` : ''} · ${plural(p.beats, 'beat')} · faces ${alignmentName[p.alignment]}`;
}

export function turnWords(turns: number[]) {
  const [l = 0, f = 0] = turns;
  if (l === 0 && f === 0) return '';
  if (l === f) return `both ${eighths(l)}`;
  return [l ? `leader ${eighths(l)}` : '', f ? `follower ${eighths(f)}` : '']
    .filter(Boolean)
    .join('; ');
}

/** One figure of the routine: to be dragged by its handle, or moved by its buttons. */
export function ItemCard({
  id,
  at,
  count,
  name,
  item,
  placed,
  chosen,
  onChoose,
  onTimes,
  onMove,
  onRemove,
  onDropChange,
}: {
  id: number;
  at: number;
  count: number;
  name: string;
  item: Schemas['Item'];
  placed: Schemas['Placed'] | undefined;
  chosen: boolean;
  onChoose: () => void;
  onTimes: (times: number) => void;
  onMove: (to: number) => void;
  onRemove: () => void;
  onDropChange: () => void;
}) {
  const {
    attributes,
    listeners,
    setNodeRef,
    setActivatorNodeRef,
    transform,
    transition,
    isDragging,
  } = useSortable({ id });
  const button = (label: string, icon: React.ReactNode, act: () => void, off = false) => (
    <IconButton size="small" aria-label={`${label}: ${name}`} disabled={off} onClick={act}>
      {icon}
    </IconButton>
  );
  return (
    <Card
      ref={setNodeRef}
      data-item={at}
      aria-current={chosen ? 'true' : undefined}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      onClick={onChoose}
      sx={{
        display: 'flex',
        alignItems: 'center',
        gap: 0.5,
        px: 0.5,
        py: 0.5,
        zIndex: isDragging ? 2 : undefined,
        position: 'relative',
        ...(chosen && { borderColor: 'text.primary', boxShadow: 'inset 3px 0 0 currentColor' }),
      }}
    >
      <IconButton
        ref={setActivatorNodeRef}
        size="small"
        aria-label={`Drag ${name}`}
        {...attributes}
        {...listeners}
        sx={{ cursor: 'grab', touchAction: 'none' }}
      >
        <Drag />
      </IconButton>
      <Box sx={{ flex: 1, minWidth: 0 }}>
        <Typography sx={{ fontWeight: 700 }}>
          {at + 1}.{' '}
          <Link component={To} to={`/charts/figure/${item.chart}`} underline="hover">
            {name}
          </Link>
        </Typography>
        {placed && (
          <Typography variant="caption" color="text.secondary" component="p">
            {placeWords(placed)}
            {turnWords(placed.turns) && ` · ${turnWords(placed.turns)}`}
          </Typography>
        )}
        {item.change && item.change.length > 0 && (
          <Typography variant="caption" component="p">
            before it: {changeWords(item.change)}{' '}
            <Link component="button" type="button" variant="caption" onClick={onDropChange}>
              leave the hands
            </Link>
          </Typography>
        )}
      </Box>
      {button(
        'Once less',
        <Remove fontSize="small" />,
        () => onTimes(item.times - 1),
        item.times <= 1,
      )}
      <Typography variant="body2" sx={{ minWidth: 22, textAlign: 'center' }}>
        ×{item.times}
      </Typography>
      {button('Once more', <Add fontSize="small" />, () => onTimes(item.times + 1))}
      {button('Move up', <Up fontSize="small" />, () => onMove(at - 1), at === 0)}
      {button('Move down', <Down fontSize="small" />, () => onMove(at + 1), at === count - 1)}
      {button('Take out', <Delete fontSize="small" />, onRemove)}
    </Card>
  );
}
