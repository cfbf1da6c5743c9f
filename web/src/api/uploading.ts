/** A way to send a request that tells how much of it has arrived, 0…1; `fetch` tells that only of answers. */
export function uploading(tell: (share: number) => void): (request: Request) => Promise<Response> {
  return async (request) => {
    const body = await request.blob();
    return new Promise((resolve, reject) => {
      const sending = new XMLHttpRequest();
      sending.open(request.method, request.url);
      request.headers.forEach((value, name) => sending.setRequestHeader(name, value));
      sending.responseType = "text";
      sending.upload.onprogress = ({ loaded, total }) => tell(total > 0 ? loaded / total : 0);
      sending.upload.onload = () => tell(1);
      sending.onload = () =>
        resolve(
          new Response(sending.responseText, {
            status: sending.status,
            headers: { "Content-Type": sending.getResponseHeader("Content-Type") ?? "application/json" },
          }),
        );
      sending.onerror = () => reject(new TypeError("the connection broke"));
      sending.send(body);
    });
  };
}

/** A file, and what is said of it, as a form that a request carries. */
export function fileForm(file: File, said: Record<string, string> = {}): FormData {
  const form = new FormData();
  form.append("file", file);
  for (const [name, value] of Object.entries(said)) form.append(name, value);
  return form;
}
