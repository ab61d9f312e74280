/** Takes a bundle into the library, as a design of the project that is open. */
import { useRef } from "react";
import { queries, useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { complain, tell } from "../../ui/messages";

async function load(chosen: File) {
  const { library, project } = useShared.getState();
  try {
    const body = new FormData();
    body.append("file", chosen);
    const answer = await fetch(`/api/lib/${library}/bundles?project=${project}`, { method: "POST", body });
    const told = (await answer.json()) as { id: number; name: string; sentence?: string };
    if (!answer.ok) {
      tell(told.sentence ?? "The bundle cannot be read.", true);
      return;
    }
    await queries.invalidateQueries();
    useShared.setState({ design: told.id });
    tell(`${told.name} is a design of this library now, with its sounds.`);
  } catch (error) {
    complain(error);
  }
}

export function LoadBundle() {
  const file = useRef<HTMLInputElement>(null);
  return (
    <>
      <Do onClick={() => file.current?.click()}>Load a bundle</Do>
      <input
        ref={file}
        type="file"
        accept=".zip"
        aria-label="Bundle to load"
        style={{ display: "none" }}
        onChange={(event) => {
          const chosen = event.target.files?.[0];
          event.target.value = "";
          if (chosen) void load(chosen);
        }}
      />
    </>
  );
}
