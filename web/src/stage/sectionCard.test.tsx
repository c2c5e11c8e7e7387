// @vitest-environment jsdom

import { screen } from "@testing-library/react";
import { expect, test, vi } from "vitest";

import type { Cut } from "../section/outlines";
import { shown } from "../tests/render";
import { SectionCard } from "./SectionCard";

const square = (half: number): [number, number][] => [[-half, -half], [half, -half], [half, half], [-half, half]];
const cut = (name: string, role: string, half: number) => ({ name, role, outlines: [square(half)] }) as unknown as Cut;
const card = () => (
  <SectionCard section={{ axis: 1, at: 0, side: 1 }} range={[-10, 10]} cuts={[cut("blank", "stock", 10), cut("hub", "design", 9.9)]} job="hub" onAxis={vi.fn()} onSection={vi.fn()} />
);

test("figures are folded away to one line that says the worst, and stay so", async () => {
  localStorage.clear();
  const { user, unmount } = shown(card());
  expect(screen.getByText("400.0 mm²")).toBeTruthy();
  await user.click(screen.getByText("Less"));
  expect(screen.queryByText("400.0 mm²")).toBeNull();
  expect(screen.getByText(/^left on ≈ 0\.1\d mm$/)).toBeTruthy();
  unmount();
  const again = shown(card());
  expect(screen.queryByText("400.0 mm²")).toBeNull();
  await again.user.click(screen.getByText("Figures"));
  expect(screen.getByText("400.0 mm²")).toBeTruthy();
});
