import { queryOptions } from "@tanstack/react-query";
import { api, ask } from "../api/client";

/** membersQuery reads the members. */
export const membersQuery = queryOptions({ queryKey: ["members"], queryFn: () => ask(api.GET("/api/members")) });

/** tokensQuery reads one's own tokens. */
export const tokensQuery = queryOptions({ queryKey: ["tokens"], queryFn: () => ask(api.GET("/api/tokens")) });
