/** A place: the room that everything in a range of the scene is heard in, each nearer or further. */
import { Flex } from "@chakra-ui/react";
import type { Member } from "../../api/client";
import { Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { Controls, useControl } from "../../ui/controls";
import { TextField } from "../../ui/fields";
import { Heading, Line } from "../../ui/frames";
import { CodeField } from "./CodeField";
import { momentOf, type Place, type Scene } from "./frames";

interface Props {
  scene: Scene;
  place: Place;
  onEdit: (values: Partial<Place>, gesture?: string) => void;
  onRemove: () => void;
}

export function PlacePanel({ scene, place, onEdit, onRemove }: Props) {
  const distances = useControl("Place", "amount")?.options ?? [];
  const [start, end] = [momentOf(place.frame, scene), momentOf(place.until, scene)];
  const inside = ((scene.mix?.members ?? []) as Member[]).filter((one) => one.at_s >= start - 1e-4 && one.at_s < end - 1e-4);
  const own = place.amounts ?? {};
  const setOne = (id: string, amount: string) => {
    const { [id]: _, ...rest } = own;
    onEdit({ amounts: amount ? { ...rest, [id]: amount as Place["amount"] & string } : rest });
  };
  return (
    <>
      <TextField label="Name of the place" placeholder="Dome hall" value={place.name ?? ""} onCommit={(name) => onEdit({ name })} />
      <CodeField label="From" frame={place.frame} scene={scene} onFrame={(frame) => frame !== null && frame < place.until && onEdit({ frame })} />
      <CodeField
        label="Until"
        frame={place.until}
        scene={scene}
        beyond={1}
        onFrame={(until) => until !== null && until > place.frame && onEdit({ until })}
      />
      <Controls<Place> model="Place" names={["space"]} value={place} onChange={onEdit} folded />
      <Controls<Place> model="Place" names={["size", "amount"]} value={place} onChange={onEdit} />
      <Line />
      <Heading>{inside.length ? "Heard in it" : "No anchor lies in it yet."}</Heading>
      {inside.map((one) => (
        <Flex key={one.id} align="center" gap="8px">
          <Flex flex={1} minW={0} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
            {one.name}
          </Flex>
          <Choose
            label={`How near ${one.name} is`}
            maxW="130px"
            value={own[one.id] ?? ""}
            options={[["", "as the place"], ...distances.map((each) => [String(each.value), each.label] as const)]}
            onChange={(amount) => setOne(one.id, amount)}
          />
        </Flex>
      ))}
      <Flex mt="auto" pt="8px">
        <Do onClick={onRemove}>Remove place</Do>
      </Flex>
    </>
  );
}
