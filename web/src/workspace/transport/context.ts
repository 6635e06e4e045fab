/** What plays and records the open part: everything inside the workspace may ask for it. */
import { createContext, useContext } from "react";
import type { Transport } from "./usePlayer";

export const TransportContext = createContext<Transport | null>(null);

export function useTransport(): Transport {
	const transport = useContext(TransportContext);
	if (!transport) throw new Error("this belongs inside a workspace");
	return transport;
}
