import { useQuery } from "@tanstack/react-query";
import { api, got, queries } from "../api/client";

export const useSession = () =>
  useQuery({
    queryKey: ["session"],
    queryFn: () => got<{ needed: boolean; open: boolean }>(api.GET("/api/session")),
    staleTime: Infinity,
  });

/** End this session; the login is shown next. */
export async function logOut(): Promise<void> {
  await got(api.POST("/api/logout"));
  queries.clear();
  await queries.invalidateQueries({ queryKey: ["session"] });
  location.assign("/");
}
