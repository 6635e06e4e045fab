import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
	plugins: [react()],
	build: { target: "es2022", chunkSizeWarningLimit: 1200, assetsInlineLimit: 0 },
	// No test counts on how fast a machine is.
	test: { setupFiles: "src/testing/setup.ts", testTimeout: 120_000 },
	server: { proxy: { "/api": "http://127.0.0.1:8347" } },
});
