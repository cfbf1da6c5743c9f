import { cleanup } from "@testing-library/react";
import { afterEach, vi } from "vitest";

// What antd asks of a browser and jsdom lacks.
vi.stubGlobal("matchMedia", (query: string) => ({ matches: false, media: query, addEventListener: vi.fn(), removeEventListener: vi.fn(), addListener: vi.fn(), removeListener: vi.fn() }));
vi.stubGlobal("ResizeObserver", class { observe = vi.fn(); unobserve = vi.fn(); disconnect = vi.fn(); });
afterEach(cleanup);
