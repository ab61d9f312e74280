/** Where a sheet ships to, and which machines do it. */
import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got } from "../../api/client";
import { queries } from "../../session/store";
import { Do } from "../../ui/buttons";
import { TextField } from "../../ui/fields";
import { Heading } from "../../ui/frames";
import { complain } from "../../ui/messages";

export function Where({ folder, onFolder }: { folder: string; onFolder: (folder: string) => void }) {
  const cluster = useQuery({ queryKey: ["cluster"], queryFn: () => got(api.GET("/api/cluster")) }).data;
  const [open, setOpen] = useState(false);
  const choose = async (address: string) => {
    try {
      queries.setQueryData(["cluster"], await got(api.PUT("/api/cluster", { body: { address, workers: null } })));
    } catch (error) {
      complain(error);
    }
  };
  const workers = cluster?.workers;
  return (
    <>
      <Heading>Folder to ship to</Heading>
      <TextField label="Folder to ship to" value={folder} onCommit={onFolder} mono />
      <Flex>
        <Do quiet on={open} onClick={() => setOpen(!open)} hint="More machines, over a shared folder">
          {cluster?.address ? `On a cluster${workers ? `, ${workers} ${workers === 1 ? "worker" : "workers"}` : ""}` : "On this machine"}{" "}
          {open ? "▴" : "▾"}
        </Do>
      </Flex>
      {open && (
        <>
          <Heading>Dask scheduler</Heading>
          <TextField label="Address of the Dask scheduler" value={cluster?.address ?? ""} onCommit={(address) => void choose(address.trim())} mono />
          <Box color="dim" fontSize="12px">
            As tcp://name:8786; empty ships on this machine. Its workers must see the same folders under the same paths; docs/cluster.md says how to
            start one.
          </Box>
        </>
      )}
    </>
  );
}
