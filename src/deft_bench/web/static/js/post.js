// Send fields to the server and take its JSON: { ok, status, reply }. Without an answer the status is 0.
export async function post(url, fields) {
  const body = fields instanceof FormData ? fields : new URLSearchParams(fields);
  if (!body.has("csrf_token")) body.set("csrf_token", document.querySelector('input[name="csrf_token"]').value);
  try {
    const answer = await fetch(url, { method: "POST", body, headers: { Accept: "application/json" } });
    return { ok: answer.ok, status: answer.status, reply: await answer.json() };
  } catch {
    return { ok: false, status: 0, reply: {} };
  }
}
