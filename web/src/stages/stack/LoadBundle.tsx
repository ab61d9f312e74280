/** Takes a bundle into the library, as a design of the project that is open. */
import { queries, useShared } from "../../session/store";
import { ChooseFiles } from "../../ui/files";
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
  return (
    <ChooseFiles label="Bundle to load" accept=".zip" onFiles={([chosen]) => void load(chosen)}>
      Load a bundle
    </ChooseFiles>
  );
}
