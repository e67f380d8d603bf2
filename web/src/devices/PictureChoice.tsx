import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useMutation } from '@tanstack/react-query';
import { client, Problem, unwrap, type Device } from '../api/client';
import { words } from '../app/words';
import { FileButton } from '../shared/FileButton';
import { Failed } from '../shared/Failed';

// longest is the side in pixels that a picture is scaled down to before it is sent.
const longest = 1600;

// smaller scales a photograph down. What is no picture goes as it is: the service says what is wrong with it.
async function smaller(file: File): Promise<Blob> {
  try {
    const drawn = await createImageBitmap(file);
    const scale = Math.min(1, longest / Math.max(drawn.width, drawn.height));
    if (scale === 1 && file.size < 1 << 20) return file;
    const canvas = new OffscreenCanvas(Math.round(drawn.width * scale), Math.round(drawn.height * scale));
    canvas.getContext('2d')?.drawImage(drawn, 0, 0, canvas.width, canvas.height);
    return await canvas.convertToBlob({ type: 'image/jpeg', quality: 0.85 });
  } catch {
    return file;
  }
}

// PictureChoice gives a device a picture, or takes it away.
export function PictureChoice({ device }: { device: Device }) {
  const path = { params: { path: { device: device.slug } } };
  const set = useMutation({
    mutationFn: async (file: File) => {
      const response = await fetch(`/api/devices/${device.slug}/picture`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/octet-stream' },
        body: await smaller(file),
      });
      const body = (await response.json()) as { detail?: string };
      if (!response.ok) throw new Problem(response.status, body.detail ?? response.statusText);
    },
  });
  const remove = useMutation({
    mutationFn: () => unwrap(client.DELETE('/api/devices/{device}/picture', path)),
  });
  return (
    <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1 }}>
      <FileButton
        variant="outlined"
        disabled={set.isPending}
        accept="image/png,image/jpeg"
        onFiles={([file]) => file && set.mutate(file)}
      >
        {device.picture ? words.device.otherPicture : words.device.picture}
      </FileButton>
      {device.picture && <Button onClick={() => remove.mutate()}>{words.device.noPicture}</Button>}
      <Failed of={[set, remove]} />
    </Box>
  );
}
