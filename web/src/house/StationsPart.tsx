import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useState } from 'react';
import { useStations } from '../api/queries';
import { words } from '../app/words';
import { Note } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { AddStation } from './AddStation';
import { StationPanel } from './StationPanel';
import { WhoHears } from './WhoHears';

// StationsPart is the hardware: what is here, what each port is and did last, and whether it reaches anything.
export default function StationsPart() {
  const stations = useStations();
  const [adding, setAdding] = useState(false);
  return (
    <>
      {!adding && (
        <Box sx={{ mt: 2 }}>
          <Button variant="outlined" onClick={() => setAdding(true)}>
            {words.stations.add}
          </Button>
        </Box>
      )}
      {adding && <AddStation onDone={() => setAdding(false)} />}
      <Failed of={[stations]} />
      {stations.data?.length === 0 && <Note>{words.stations.none}</Note>}
      {stations.data?.map((s) => (
        <StationPanel key={s.name} station={s} />
      ))}
      {stations.data?.some((s) => s.ports.some((p) => p.direction === 'transmitter')) && <WhoHears />}
    </>
  );
}
