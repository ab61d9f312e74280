/** A stage where it is shown, or what stands there when its script cannot be had. */
import { Flex } from "@chakra-ui/react";
import { type ComponentType, lazy, useState } from "react";
import { Do } from "../ui/buttons";
import { Empty } from "../ui/frames";
import { load, loaded, type Slug } from "./scripts";

/** The scripts of a page that is open for days are gone once Oskren was built anew under it. */
export const NOT_LOADED = "This part of the page cannot be loaded: Oskren was renewed since the page was opened, or its server does not answer.";

function NotLoaded() {
  return (
    <Flex h="100%">
      <Empty
        action={
          <Do main onClick={() => location.reload()}>
            Load the page again
          </Do>
        }
      >
        {NOT_LOADED}
      </Empty>
    </Flex>
  );
}

const later: Partial<Record<Slug, ComponentType>> = {};

function comes(slug: Slug): ComponentType {
  later[slug] ??= lazy(() => load(slug).catch(() => ({ default: NotLoaded })));
  return later[slug];
}

/** A stage; drawn with what is around it when its script is here already. */
export function Stage({ slug }: { slug: Slug }) {
  const [Shown] = useState(() => loaded[slug] ?? comes(slug));
  return <Shown />;
}
