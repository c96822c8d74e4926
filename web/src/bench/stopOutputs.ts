import { client, unwrap } from "../api/client";

/** Switches every network output off and says in words what came of it. */
export async function stopOutputs(jobId: number): Promise<string> {
  const params = { path: { job_id: jobId } };
  const { failed } = await unwrap(client.POST("/api/jobs/{job_id}/bench/stop", { params }));
  return failed.length ? `▲ ${failed.join(" ")} Pull the plug.` : "◆ All outputs are off.";
}
