import Box from '@mui/material/Box';
import { useParams } from 'react-router';
import { useBench, useCharts, useTake } from '../api/hooks';
import { Loaded } from '../shell/State';
import { Bench } from './Bench';

/** The review workplace for one take. */
export function BenchPage() {
  const { id = '' } = useParams();
  const take = useTake(id);
  const bench = useBench(id);
  const charts = useCharts();
  return (
    <Box sx={{ height: '100%', minHeight: 680 }}>
      <Loaded of={take}>
        {(t) => (
          <Loaded of={bench}>
            {(b) => (
              <Loaded of={charts}>{(c) => <Bench key={id} view={t} bench={b} charts={c} />}</Loaded>
            )}
          </Loaded>
        )}
      </Loaded>
    </Box>
  );
}
