import { useQuery } from "@tanstack/react-query";
import { api, got } from "../api/client";

export const useSession = () =>
  useQuery({ queryKey: ["session"], queryFn: () => got<{ needed: boolean; open: boolean }>(api.GET("/api/session")), staleTime: Infinity });
