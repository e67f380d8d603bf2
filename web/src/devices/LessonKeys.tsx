import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import type { Lesson } from '../api/client';
import { words } from '../app/words';
import { Panel } from '../shared/Panel';
import { label } from '../shared/text';

const signs = { waiting: '·', asked: '▸', settled: '✓', skipped: '–' };

// LessonKeys lists the keys of a lesson and how each stands; one can be learned again.
export function LessonKeys({ lesson, onRedo }: { lesson: Lesson; onRedo: (key: string) => void }) {
  return (
    <Panel title={words.lesson.choose}>
      <Box component="ul" sx={{ m: 0, p: 0, listStyle: 'none', columnGap: 5, columns: { sm: '260px 2' } }}>
        {lesson.keys.map((k) => (
          <Box
            component="li"
            key={k.name}
            sx={{
              display: 'flex',
              alignItems: 'center',
              gap: 1.5,
              minHeight: 44,
              breakInside: 'avoid',
              fontWeight: k.state === 'asked' ? 600 : 400,
            }}
          >
            <Box
              component="span"
              aria-hidden="true"
              sx={{ width: 14, color: k.state === 'settled' ? 'received' : 'text.secondary' }}
            >
              {signs[k.state]}
            </Box>
            <span>{label(k.name)}</span>
            <Box component="span" sx={{ color: 'text.secondary', fontSize: 14 }}>
              {k.rolling && k.state === 'settled' ? words.lesson.followed : words.lesson.states[k.state]}
            </Box>
            {lesson.state !== 'ended' && (k.state === 'settled' || k.state === 'skipped') && (
              <Button
                size="small"
                sx={{ ml: 'auto' }}
                aria-label={words.lesson.redo(label(k.name))}
                onClick={() => onRedo(k.name)}
              >
                {words.lesson.redoShort}
              </Button>
            )}
          </Box>
        ))}
      </Box>
    </Panel>
  );
}
