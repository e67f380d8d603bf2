import Box from '@mui/material/Box';
import { pieces } from './pieces';

// Sentence is an errand as it is written, without its name: what things are called carries the weight.
export function Sentence({ text, off }: { text: string; off?: boolean }) {
  return (
    <Box
      component="p"
      sx={{ fontSize: 17, m: 0, color: off ? 'text.secondary' : 'text.primary', overflowWrap: 'anywhere' }}
    >
      {pieces(text).map((p, i) =>
        p.weight === 'light' ? (
          <Box key={i} component="span" sx={{ color: 'text.secondary' }}>
            {p.text}
          </Box>
        ) : p.weight === 'strong' ? (
          <strong key={i} style={{ fontWeight: 600 }}>
            {p.text}
          </strong>
        ) : (
          p.text
        ),
      )}
    </Box>
  );
}
