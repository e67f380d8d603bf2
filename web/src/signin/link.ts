// ticketOf is the ticket of a sign-in link, however it was copied: all behind its last #, or the ticket alone.
export function ticketOf(link: string): string {
  return link.slice(link.lastIndexOf('#') + 1).trim();
}

// pageOf is the page of the console that a sign-in link leads to, from what stands behind its ?: only one of this house.
export function pageOf(search: string): string {
  const to = new URLSearchParams(search).get('to') ?? '';
  return /^\/[a-z]/.test(to) && !to.startsWith('/sign-in') ? to : '/boards';
}

// linkTo lets a sign-in link lead to a page.
export function linkTo(link: string, page: string): string {
  const at = link.lastIndexOf('#');
  return at < 0 ? link : `${link.slice(0, at)}?to=${encodeURIComponent(page)}${link.slice(at)}`;
}
