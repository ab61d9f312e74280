/** What lies in the trash besides sounds: designs, versions, reels, saved chains, scenes; and how it is emptied. */
import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";
import { bringBack, type Kind } from "../../documents/named";
import { queries, useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Fold } from "../../ui/Fold";
import { complain, tell } from "../../ui/messages";
import { stale } from "./describing";

const CALLED: Record<Kind, string> = {
  design: "Design",
  version: "Version of a design",
  scene_version: "Version of a scene",
  reel: "Review reel",
  saved_chain: "Saved chain",
  recipe: "Recipe",
  ready_sheet: "Ready sheet",
  scene: "Scene",
};

export function Trash({ sounds }: { sounds: number }) {
  const library = useShared((state) => state.library);
  const trash = useQuery({
    queryKey: ["trash", library],
    queryFn: () => got(api.GET("/api/lib/{library}/trash", { params: { path: { library } } })),
  }).data;
  const empty = async () => {
    try {
      const done = await got(api.POST("/api/lib/{library}/trash/empty", { params: { path: { library } } }));
      stale();
      void queries.invalidateQueries({ queryKey: ["trash"] });
      const stays = done.stays.length
        ? ` ${done.stays.slice(0, 2).join(" ")}${done.stays.length > 2 ? ` So do ${done.stays.length - 2} more.` : ""}`
        : "";
      tell(`${done.gone} sounds and ${done.documents} other things are deleted for good.${stays}`, done.stays.length > 0);
    } catch (error) {
      complain(error);
    }
  };
  if (!trash) return null;
  return (
    <Box as="section" aria-label="Trash" px="14px" py="8px" borderBottom="1px solid" borderColor="line" maxH="40%" overflowY="auto">
      <Flex align="center" gap="10px" minH="28px">
        <Box flex={1} color="dim" fontSize="12px">
          {sounds} {sounds === 1 ? "sound" : "sounds"}
          {trash.length > 0 && `, ${trash.length} other ${trash.length === 1 ? "thing" : "things"}`} in the trash; all of it can be taken back.
        </Box>
        {(sounds > 0 || trash.length > 0) && (
          <Fold label="Empty the trash" hint="Delete for good what lies here">
            <Box maxW="260px">This cannot be taken back. Sounds that something uses stay here.</Box>
            <Do onClick={() => void empty()}>Delete for good</Do>
          </Fold>
        )}
      </Flex>
      {trash.map((one) => (
        <Flex key={`${one.kind} ${one.id}`} align="center" gap="10px" minH="30px" borderTop="1px solid" borderColor="line">
          <Box flex={1} minW={0} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
            {one.name}
          </Box>
          <Box color="dim" fontSize="12px" w="140px">
            {CALLED[one.kind]}
          </Box>
          <Box fontFamily="mono" fontSize="12px" color="dim" w="130px">
            {one.at.slice(0, 16).replace("T", " ")}
          </Box>
          <Do quiet onClick={() => void bringBack(one.kind, one.id)}>
            Take back
          </Do>
        </Flex>
      ))}
    </Box>
  );
}
