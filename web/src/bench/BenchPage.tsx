import Box from '@mui/material/Box';
import { useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
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
  const client = useQueryClient();
  const state = take.data?.clip?.state;
  // The prepared copy may have another size than the original, and with it other measures.
  useEffect(() => {
    if (state === 'ready') void client.invalidateQueries({ queryKey: ['bench', id] });
  }, [client, id, state]);
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
