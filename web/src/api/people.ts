import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, ProblemError, unwrap, type Schemas } from "./client";
import { keys } from "./keys";

export type Me = Schemas["MeOut"];
export type Person = Schemas["PersonOut"];
export type Role = Person["role"];

/** Who is signed in; null for nobody. */
export function useMe() {
  return useQuery({
    queryKey: keys.me,
    staleTime: Infinity,
    queryFn: async (): Promise<Me | null> => {
      try {
        return await unwrap(client.GET("/api/v1/session"));
      } catch (error) {
        if (isSignedOut(error)) return null;
        throw error;
      }
    },
  });
}

/** Whether the person may do what takes this role. */
export function useMay(role: Role): boolean {
  const order: Role[] = ["reader", "td", "supervisor"];
  const mine = useMe().data?.role;
  return mine !== undefined && order.indexOf(mine) >= order.indexOf(role);
}

export function isSignedOut(error: unknown): boolean {
  return error instanceof ProblemError && error.problem.code === "not-signed-in";
}

/** Sign in by name and password, or by a one-time link. */
export function useSignIn() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (by: { name: string; password: string } | { link: string }) =>
      unwrap(client.POST("/api/v1/session", { body: { name: "", password: "", link: "", ...by } })),
    onSuccess: (me) => queries.setQueryData(keys.me, me),
  });
}

/** Sign out; nothing of what was loaded is kept. */
export function useSignOut() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () => unwrap(client.DELETE("/api/v1/session")),
    onSuccess: () => {
      // First who looks at it is led to the entrance: what is taken away under somebody's eyes is only loaded again.
      queries.setQueryData(keys.me, null);
      queries.removeQueries({ predicate: ({ queryKey }) => queryKey.length > 1 || queryKey[0] !== "me" });
    },
  });
}

export function useSetPassword() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["PasswordIn"]) => unwrap(client.PUT("/api/v1/session/password", { body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.me }),
  });
}

/** One's own tokens. */
export function useTokens() {
  return useQuery({ queryKey: keys.tokens, queryFn: () => unwrap(client.GET("/api/v1/tokens")) });
}

export function useNewToken() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["TokenIn"]) => unwrap(client.POST("/api/v1/tokens", { body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.tokens }),
  });
}

export function useEndToken() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (id: number) =>
      unwrap(client.DELETE("/api/v1/tokens/{token_id}", { params: { path: { token_id: id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.tokens }),
  });
}

/** Everybody who has an account. */
export function usePeople() {
  return useQuery({ queryKey: keys.people, queryFn: () => unwrap(client.GET("/api/v1/people")) });
}

/** What was done last, newest first. */
export function useAudit() {
  return useQuery({ queryKey: keys.audit, queryFn: () => unwrap(client.GET("/api/v1/audit")) });
}

/** Every way to change who is let in. */
export function usePeopleChange() {
  const queries = useQueryClient();
  const load = () => queries.invalidateQueries({ queryKey: keys.people });
  const add = useMutation({
    mutationFn: (body: Schemas["PersonIn"]) => unwrap(client.POST("/api/v1/people", { body })),
    onSuccess: load,
  });
  const link = useMutation({
    mutationFn: (id: number) =>
      unwrap(client.POST("/api/v1/people/{person_id}/link", { params: { path: { person_id: id } } })),
  });
  const role = useMutation({
    mutationFn: ({ id, ...body }: Schemas["RoleIn"] & { id: number }) =>
      unwrap(client.PUT("/api/v1/people/{person_id}/role", { params: { path: { person_id: id } }, body })),
    onSuccess: load,
  });
  return { add, link, role };
}
