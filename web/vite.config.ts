import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react()],
  build: { chunkSizeWarningLimit: 2000 },
  // A busy machine is no fault of what is tested: nothing here is judged by its time.
  test: { testTimeout: 120_000, hookTimeout: 120_000 },
});
