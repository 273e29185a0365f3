/** The one typed client of the server, and its queries. */
import { keepPreviousData, QueryClient, useQueries, useQuery } from "@tanstack/react-query";
import createClient from "openapi-fetch";
import type { About, Run, ShelfItem, ShotCard, ShotState, Storage, TrackFile } from "../document/types";
import { useConnection } from "../live/state";
import type { paths } from "./schema.d";

export const api = createClient<paths>({ baseUrl: "/" });
const ASKED_EVERY_MS = 5000;
export const queries = new QueryClient({
  defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: false, staleTime: 5000 } },
});

export class ApiError extends Error {
  code: string;
  constructor(message: string, code: string) {
    super(message);
    this.code = code;
  }
}

/** The data of an answer, or an ApiError with the server's own words. */
export async function got<T>(answer: Promise<{ data?: unknown; error?: unknown; response: Response }>): Promise<T> {
  const { data, error, response } = await answer.catch(() => {
    throw new ApiError("The server does not answer. It may have been stopped; start it again.", "offline");
  });
  if (error !== undefined || !response.ok) {
    const body = (error ?? {}) as { message?: string; code?: string };
    throw new ApiError(body.message ?? `The server refused (${response.status}).`, body.code ?? "error");
  }
  return data as T;
}

export const getShot = (id: string) =>
  got<ShotState>(api.GET("/api/shots/{shot_id}", { params: { path: { shot_id: id } } }));
export const useShots = () => useQuery({ queryKey: ["shots"], queryFn: () => got<ShotCard[]>(api.GET("/api/shots")) });
export const useShelf = () => useQuery({ queryKey: ["shelf"], queryFn: () => got<ShelfItem[]>(api.GET("/api/shelf")) });
/** Whether a run has not come to its end. */
export const going = (run: Run) => ["waiting", "running", "finishing"].includes(run.state);
export const useRuns = () =>
  useQuery({
    queryKey: ["runs"],
    queryFn: () => got<Run[]>(api.GET("/api/runs")),
    // what goes on is told as it does; should that be missed, it is asked for
    refetchInterval: ({ state }) => (state.data?.some(going) ? ASKED_EVERY_MS : false),
  });
export const aboutQuery = {
  queryKey: ["about"],
  queryFn: () => got<About>(api.GET("/api/about")),
  staleTime: Infinity,
};
export const useAbout = () => useQuery(aboutQuery);

const trackQuery = (hash: string) => ({
  queryKey: ["samples", hash],
  staleTime: Infinity,
  queryFn: () => got<TrackFile>(api.GET("/api/artefacts/{name}/track", { params: { path: { name: hash } } })),
});

/** Samples of several tracks by hash. */
export function useSamples(hashes: string[]): Record<string, TrackFile | undefined> {
  const results = useQueries({ queries: hashes.map(trackQuery) });
  return Object.fromEntries(hashes.map((h, i) => [h, results[i].data]));
}

/** What rides and hanging do to placed layers at a frame: 3x3 matrices by layer, null where hidden. */
export const useCarried = (id: string | null, revision: number, frame: number) =>
  useQuery({
    queryKey: ["carried", id, revision, frame],
    enabled: id !== null,
    staleTime: Infinity,
    placeholderData: keepPreviousData,
    queryFn: () =>
      got<Record<string, number[] | null>>(
        api.GET("/api/shots/{shot_id}/carried", { params: { path: { shot_id: id! }, query: { frame } } }),
      ),
  }).data;

/** Whether an error says that nobody answers at the moment. */
export const isAway = (error: unknown): boolean =>
  error instanceof ApiError && (error.code === "offline" || error.code === "away");

/** Do something again until the server answers, whatever its answer is. What is done must bear being done twice. */
export async function untilAnswered<T>(work: () => Promise<T>): Promise<T> {
  for (;;) {
    try {
      const answer = await work();
      if (useConnection.getState().reach === "away") useConnection.getState().set("there");
      return answer;
    } catch (error) {
      if (!isAway(error)) throw error;
      useConnection.getState().set((error as ApiError).code === "away" ? "away" : "lost");
      await new Promise((wake) => setTimeout(wake, 1000));
    }
  }
}

export const cancelRun = (id: string) =>
  got<Run>(api.POST("/api/runs/{run_id}/cancel", { params: { path: { run_id: id } } }));

/** Say what a run asked. */
export async function answerRun(id: string, choice: string): Promise<void> {
  await got(api.POST("/api/runs/{run_id}/answer", { params: { path: { run_id: id } }, body: { choice } }));
  await queries.invalidateQueries({ queryKey: ["runs"] });
}

export const useStorage = () =>
  useQuery({ queryKey: ["storage"], queryFn: () => got<Storage>(api.GET("/api/storage")) });

/** A body of one file, as forms are sent. */
export const asForm = (body: { file: unknown }) => {
  const form = new FormData();
  form.append("file", body.file as Blob);
  return form;
};

/** Remove a run that has ended, and its files. */
export async function forgetRun(id: string): Promise<void> {
  await got(api.DELETE("/api/runs/{run_id}", { params: { path: { run_id: id } } }));
  await queries.invalidateQueries({ queryKey: ["runs"] });
}

/** Send files with progress; resolves to the import's run. `abort` gives the way to break off. */
export function upload(
  files: File[],
  makeShot: boolean,
  progress: (share: number) => void,
  abort?: (stop: () => void) => void,
): Promise<Run> {
  return new Promise((resolve, reject) => {
    const form = new FormData();
    form.append("make_shot", String(makeShot));
    for (const file of files) form.append("files", file, file.name);
    const request = new XMLHttpRequest();
    request.open("POST", "/api/uploads");
    request.upload.onprogress = (e) => progress(e.total ? e.loaded / e.total : 0);
    request.onload = () => {
      const body = JSON.parse(request.responseText || "{}");
      if (request.status < 300) resolve(body as Run);
      else reject(new ApiError(body.message ?? "The upload was refused.", body.code ?? "error"));
    };
    request.onerror = () => reject(new ApiError("The upload broke off; nothing was imported.", "offline"));
    request.onabort = () => reject(new ApiError("The upload was cancelled.", "cancelled"));
    abort?.(() => request.abort());
    request.send(form);
  });
}
