import '@fontsource/source-sans-3/latin-400.css';
import '@fontsource/source-sans-3/latin-600.css';
import '@fontsource/source-code-pro/latin-400.css';

// All of them are fetched at once: one that is first needed by what a handset changes would move what stands there.
for (const font of document.fonts) void font.load().catch(() => undefined);
