// What a component test needs around a component: the query client, the messages, and what jsdom lacks of a browser.

import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, configure, render } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { App } from "antd";
import { useState, type ReactElement, type ReactNode } from "react";
import { afterEach, vi } from "vitest";

vi.stubGlobal("matchMedia", () => ({ matches: false, addListener: () => {}, removeListener: () => {}, addEventListener: () => {}, removeEventListener: () => {} }));
vi.stubGlobal("ResizeObserver", class { observe() {} unobserve() {} disconnect() {} });

// Nothing here hides by a style sheet, and asking all of a page's sheets for every element is most of a test's time.
vi.stubGlobal("getComputedStyle", (element: HTMLElement) => element.style);

// A busy machine is no fault of what is tested: what is waited for may take long to come.
configure({ asyncUtilTimeout: 40_000 });

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

/** The component on a page of its own, and a person at its keyboard and mouse. */
export function shown(element: ReactElement) {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  const page = render(
    <QueryClientProvider client={client}>
      <App>{element}</App>
    </QueryClientProvider>,
  );
  return { ...page, user: userEvent.setup({ delay: null }) };
}

/** The same, for a component that is shown again with other properties. */
export function shownAgain(element: ReactElement) {
  const page = render(<App>{element}</App>);
  return { ...page, rerender: (again: ReactElement) => page.rerender(<App>{again}</App>), user: userEvent.setup({ delay: null }) };
}

/** A value that a component shows and changes, as its screen would hold it; `seen` gets every change. */
export function Held<T>({ initial, seen, children }: { initial: T; seen: (value: T) => void; children: (value: T, set: (value: T) => void) => ReactNode }) {
  const [value, setValue] = useState(initial);
  return children(value, (next) => {
    setValue(next);
    seen(next);
  });
}
