import { useState } from 'react';

// kept is where a browser keeps its favourites: they are of whoever uses that phone.
const kept = 'urbo-favourites';

function read(): string[] {
  try {
    const list: unknown = JSON.parse(localStorage.getItem(kept) ?? '[]');
    return Array.isArray(list) ? list.filter((s) => typeof s === 'string') : [];
  } catch {
    return []; // somebody else wrote it
  }
}

// useFavourites are the devices, by slug, that stand first in the list of this browser.
export function useFavourites() {
  const [list, setList] = useState(read);
  return {
    has: (slug: string) => list.includes(slug),
    toggle: (slug: string) => {
      const was = read(); // another page of this browser may have changed it
      const next = was.includes(slug) ? was.filter((s) => s !== slug) : [...was, slug];
      localStorage.setItem(kept, JSON.stringify(next));
      setList(next);
    },
  };
}
