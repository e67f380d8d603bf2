import Button, { type ButtonProps } from '@mui/material/Button';
import { useRef } from 'react';

type Props = Omit<ButtonProps, 'onClick'> & {
  accept?: string;
  multiple?: boolean;
  onFiles: (files: File[]) => void;
};

// FileButton lets people choose files. The same file can be chosen twice in a row.
export function FileButton({ accept, multiple, onFiles, ...button }: Props) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button {...button} onClick={() => input.current?.click()} />
      <input
        ref={input}
        type="file"
        hidden
        accept={accept}
        multiple={multiple}
        onChange={(e) => {
          const files = [...(e.target.files ?? [])];
          e.target.value = '';
          if (files.length > 0) onFiles(files);
        }}
      />
    </>
  );
}
