import "@fontsource-variable/public-sans";
import "@mantine/core/styles.css";
import "@mantine/notifications/styles.css";
import "./global.css";
import "../lib/probe";
import { MantineProvider } from "@mantine/core";
import { Notifications } from "@mantine/notifications";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { createRoot } from "react-dom/client";
import { roles, theme } from "../lib/theme";
import { App } from "./App";

const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content ?? "";
const queries = new QueryClient({ defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: false } } });

createRoot(document.getElementById("root") as HTMLElement).render(
	<MantineProvider
		theme={theme}
		defaultColorScheme="auto"
		cssVariablesResolver={roles}
		getStyleNonce={() => nonce}
	>
		<QueryClientProvider client={queries}>
			<Notifications position="bottom-left" containerWidth={360} limit={4} />
			<App />
		</QueryClientProvider>
	</MantineProvider>,
);
