import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { Link } from 'react-router';
import { words } from '../app/words';

// JustCame is the first line of a list that goes on growing. It says what came last, in the same place, and shows it in the
// list when somebody asks for it: nothing that is read, or about to be tapped, moves.
export function JustCame({
  waiting,
  text,
  to,
  onShow,
}: {
  waiting: number;
  text: string; // of the last one
  to?: string; // its page
  onShow: () => void;
}) {
  const line = { flex: 1, minWidth: 0, overflow: 'hidden', textOverflow: 'ellipsis', whiteSpace: 'nowrap' };
  return (
    <Box
      role="status"
      sx={{ display: 'flex', alignItems: 'center', gap: 1, height: 52, borderTop: 1, borderColor: 'divider' }}
    >
      {waiting === 0 ? (
        <Box sx={{ ...line, color: 'text.secondary' }}>{words.justCame.nothing}</Box>
      ) : (
        <>
          {to ? (
            <Box
              component={Link}
              to={to}
              onClick={onShow}
              title={text}
              sx={{ ...line, color: 'inherit', py: 1.25 }}
            >
              {text}
            </Box>
          ) : (
            <Box sx={line} title={text}>
              {text}
            </Box>
          )}
          <Button size="small" variant="outlined" sx={{ flex: 'none' }} onClick={onShow}>
            {words.justCame.show(waiting)}
          </Button>
        </>
      )}
    </Box>
  );
}
