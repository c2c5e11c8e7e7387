// Styles that our scripts make carry the nonce of the page's policy, whichever library makes them: else the browser takes none of them. What
// comes into a page as text (innerHTML) is not made so, and stays without.

const nonce = document.querySelector<HTMLMetaElement>('meta[name="nonce"]')?.content ?? "";
const make = document.createElement.bind(document) as (name: string, options?: ElementCreationOptions) => HTMLElement;

document.createElement = ((name: string, options?: ElementCreationOptions) => {
  const element = make(name, options);
  if (element instanceof HTMLStyleElement) element.nonce = nonce;
  return element;
}) as typeof document.createElement;

export {};
