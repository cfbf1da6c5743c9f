import { App } from "antd";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { keys, type Conversion } from "../../api/queries";
import { explain } from "../../parts/Failure";

/** The header by which an edit names the version it was made on. */
export function madeOn(conversion: Conversion) {
  return { "if-match": `"${conversion.version}"` };
}

/** Send an edit of a conversion; what comes back is shown at once, and so are the checks that it starts. */
export function useEdit(conversion: Conversion, project: number) {
  const { message } = App.useApp();
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (send: () => Promise<Conversion>) => send(),
    onSuccess: (changed) => {
      queries.setQueryData(keys.conversion(conversion.id), changed);
      void queries.invalidateQueries({ queryKey: keys.jobs(project) });
    },
    onError: (error) => {
      void message.error(explain(error), 8);
      void queries.invalidateQueries({ queryKey: keys.conversion(conversion.id) });
    },
  });
}
