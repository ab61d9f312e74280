import { Box, chakra, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { api, got, Refused } from "../../api/client";
import { queries, useShared } from "../../session/store";
import { Bare } from "../../ui/buttons";
import { TextField } from "../../ui/fields";
import { ChooseFiles } from "../../ui/files";
import { complain, tell } from "../../ui/messages";
import { stale } from "./describing";
import { NotesForm } from "./NotesForm";

/** One arrival that the table is narrowed to: its name, notes and photos, written here. */
export function ArrivalCard({ number }: { number: number }) {
  const library = useShared((state) => state.library);
  const path = { library, id: number };
  const arrival = useQuery({
    queryKey: ["arrivals", library, number],
    queryFn: async () => (await got(api.GET("/api/lib/{library}/arrivals", { params: { path: { library }, query: { only: number } } })))[0] ?? null,
  });
  const fresh = () => {
    void queries.invalidateQueries({ queryKey: ["arrivals"] });
    stale();
  };
  const here = arrival.data;
  if (!here) return null;
  const change = (values: { name?: string; notes?: Partial<typeof here.notes> }) =>
    void got(
      api.PATCH("/api/lib/{library}/arrivals/{id}", { params: { path }, body: { name: values.name ?? null, notes: values.notes ?? null } }),
    ).then((kept) => {
      if (values.notes) tell(`${kept.sounds} ${kept.sounds === 1 ? "sound is" : "sounds are"} found by these notes now.`);
      fresh();
    }, complain);
  const add = async (files: File[]) => {
    const body = new FormData();
    for (const file of files) body.append("files", file, file.name);
    try {
      const response = await fetch(`/api/lib/${library}/arrivals/${number}/photos`, { method: "POST", body });
      if (!response.ok) throw new Refused(((await response.json()) as { sentence: string }).sentence);
    } catch (error) {
      complain(error);
    }
    fresh();
  };
  const drop = (file: string) =>
    void got(api.DELETE("/api/lib/{library}/arrivals/{id}/photos", { params: { path, query: { file } } })).then(fresh, complain);
  return (
    <Flex
      direction="column"
      gap="6px"
      px="12px"
      py="8px"
      bg="sheet"
      borderBottom="1px solid"
      borderColor="line"
      role="region"
      aria-label="Arrival"
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        const pictures = [...event.dataTransfer.files].some((file) => file.type.startsWith("image/"));
        if (!pictures) return;
        event.preventDefault();
        event.stopPropagation();
        void add([...event.dataTransfer.files]);
      }}
    >
      <Flex gap="10px" align="center">
        <Box w="300px">
          <TextField label="Name of the arrival" value={here.name} onCommit={(name) => name.trim() && change({ name: name.trim() })} />
        </Box>
        <Box color="dim" fontFamily="mono" fontSize="12px" whiteSpace="nowrap">
          {here.created.slice(0, 16).replace("T", " ")}, {here.sounds} {here.sounds === 1 ? "sound" : "sounds"}
        </Box>
        <Box flex={1} />
        {here.photos.map((photo) => (
          <Box key={photo.file} position="relative" flexShrink={0}>
            <a href={`/api/lib/${library}/photos/${photo.file}`} target="_blank" rel="noreferrer" title={`${photo.name}: open`}>
              <chakra.img src={`/api/lib/${library}/photos/${photo.file}`} alt={photo.name} h="34px" w="46px" objectFit="cover" borderRadius="5px" />
            </a>
            <Bare
              aria-label={`Take the photo ${photo.name} away`}
              title="Take this photo away"
              position="absolute"
              top="-4px"
              right="-4px"
              bg="raised"
              borderRadius="full"
              w="14px"
              h="14px"
              lineHeight="13px"
              fontSize="10px"
              cursor="pointer"
              onClick={() => drop(photo.file)}
            >
              ×
            </Bare>
          </Box>
        ))}
        <ChooseFiles
          quiet
          many
          label="Photos"
          accept="image/jpeg,image/png,image/webp"
          hint="Photos of the place, the set-up, a permission; they can be dropped here too"
          onFiles={(photos) => void add(photos)}
        >
          Add photos
        </ChooseFiles>
      </Flex>
      <NotesForm notes={here.notes} onChange={(notes) => change({ notes })} />
    </Flex>
  );
}
