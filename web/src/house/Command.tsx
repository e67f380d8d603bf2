import Box from '@mui/material/Box';

// Command is a command line as it is typed, with what it is for.
export function Command({ title, text }: { title: string; text: string }) {
  return (
    <Box sx={{ my: 1.5 }}>
      <Box sx={{ color: 'text.secondary', fontSize: 14 }}>{title}</Box>
      <Box
        component="pre"
        tabIndex={0}
        aria-label={title}
        sx={{
          m: 0,
          mt: 0.5,
          p: 1.25,
          border: 1,
          borderColor: 'divider',
          fontSize: 14,
          whiteSpace: 'pre-wrap',
          overflowWrap: 'anywhere',
        }}
      >
        {text}
      </Box>
    </Box>
  );
}
