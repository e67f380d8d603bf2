import Box from '@mui/material/Box';
import { useStage } from '../api/queries';
import { words } from '../app/words';
import { Panel } from '../shared/Panel';

// StageAppliance is what there is to see of a device, where the house has a stage with it.
export function StageAppliance({ slug }: { slug: string }) {
  const stage = useStage();
  const appliance = stage.data?.appliances.find((a) => a.slug === slug);
  if (!appliance) return null;
  return (
    <Panel title={words.audition.onStage}>
      <Box component="dl" sx={{ m: 0, display: 'flex', flexWrap: 'wrap', columnGap: 4, rowGap: 1 }}>
        {appliance.facts.map((f) => (
          <div key={f.name}>
            <Box component="dt" sx={{ color: 'text.secondary', fontSize: 14 }}>
              {f.name}
            </Box>
            <Box component="dd" sx={{ m: 0, fontSize: 20, fontWeight: 600 }}>
              {f.value}
            </Box>
          </div>
        ))}
      </Box>
    </Panel>
  );
}
