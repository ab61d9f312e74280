/** The frame: libraries, find-anything field and jobs on top, stages left, the listening strip at the bottom. */

import { Box, chakra, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { type DragEvent, lazy, Suspense, useEffect, useState } from "react";
import { Navigate, NavLink, Route, Routes, useNavigate } from "react-router";
import { api, got } from "../api/client";
import { STATE } from "../api/questions";
import { countOf, useSheet } from "../between/sheet";
import { player } from "../listening/player";
import { recoverLeft, useRecording } from "../listening/recording";
import { Strip } from "../listening/Strip";
import { useListening } from "../listening/state";
import { dropped } from "../session/following";
import { useJobEvents } from "../session/jobs";
import { useProjects } from "../session/projects";
import { enter, enterLast, queries, useShared } from "../session/store";
import { upload } from "../session/uploading";
import { useHeightKeys } from "../timeline/heights";
import { Do } from "../ui/buttons";
import { Choose } from "../ui/choices";
import { useModels } from "../ui/controls";
import { NameInput } from "../ui/fields";
import { Hints } from "../ui/Hints";
import { useKeys } from "../ui/keys";
import { complain, tell } from "../ui/messages";
import { IN_WIDE, useLook, wear } from "../ui/theme";
import { useTurns } from "../ui/useBegun";
import { Find } from "./Find";
import { JobsView } from "./JobsView";
import { KeyList } from "./KeyList";
import { Messages } from "./Messages";
import { NOT_LOADED, Stage } from "./Stage";

const STAGES = [
  ["gather", "Gather", "sounds"],
  ["mend", "Mend", "mended"],
  ["stack", "Stack", "designs"],
  ["vary", "Vary", "spreads"],
  ["slice", "Slice", "plans"],
  ["ship", "Ship", "sent"],
  ["picture", "Picture", "cues"],
] as const;

const Wanted = lazy(() => import("../stages/gather/Wanted").catch(() => ({ default: WantedNotLoaded })));

function Libraries() {
  const library = useShared((state) => state.library);
  const state = useQuery(STATE);
  const [naming, setNaming] = useState(false);
  const views = state.data?.libraries;
  useEffect(() => {
    if (views && !library) enterLast(views);
  }, [views, library]);
  const choose = (slug: string) => {
    const view = views?.find((one) => one.slug === slug);
    if (slug === "+") setNaming(true);
    else if (view) {
      player.stop();
      useListening.setState({ heard: null });
      enter(view.slug, view.name);
    }
  };
  const add = async (name: string) => {
    try {
      const made = await got(api.POST("/api/libraries", { body: { name } }));
      enter(made.slug, made.name);
    } catch (error) {
      complain(error);
    }
  };
  if (naming) return <NameInput label="Name of the new library" w="200px" onNamed={(name) => void add(name)} onLeave={() => setNaming(false)} />;
  return (
    <Choose
      label="Library"
      value={library}
      onChange={choose}
      maxW="250px"
      minW="120px"
      options={[...(views ?? []).map((view) => [view.slug, `${view.name}, ${view.sounds} sounds`] as const), ["+", "New library …"]]}
    />
  );
}

const unwant = () => useShared.setState({ wanting: false });

/** In the place of a panel whose script is still coming: it can be left before it is there. */
function Coming({ onClose }: { onClose: () => void }) {
  useKeys({ leave: onClose, wanted: onClose }, { over: true });
  return null;
}

function WantedNotLoaded({ onClose }: { onClose: () => void }) {
  useEffect(() => {
    tell(`${NOT_LOADED} Load the page again.`, true);
    onClose();
  }, [onClose]);
  return <Coming onClose={onClose} />;
}

/** Designs, plans and shipments belong to the project chosen here. */
function Projects() {
  const library = useShared((state) => state.library);
  const project = useShared((state) => state.project);
  const [naming, setNaming] = useState(false);
  const projects = useProjects();
  const enterProject = (number: number) => {
    useShared.setState({ project: number, design: null, spread: null, scene: null });
    void queries.invalidateQueries({ queryKey: ["sounds"] });
  };
  const add = async (name: string) => {
    try {
      const made = await got(api.POST("/api/lib/{library}/projects", { params: { path: { library } }, body: { name } }));
      await queries.invalidateQueries({ queryKey: ["projects"] });
      enterProject(made.id);
    } catch (error) {
      complain(error);
    }
  };
  if (naming) return <NameInput label="Name of the new project" w="150px" onNamed={(name) => void add(name)} onLeave={() => setNaming(false)} />;
  return (
    <Choose
      label="Project"
      value={String(project)}
      maxW="170px"
      minW="90px"
      options={[...projects.map((one) => [String(one.id), one.name] as const), ["+", "New project …"]]}
      onChange={(value) => (value === "+" ? setNaming(true) : enterProject(Number(value)))}
    />
  );
}

function Stages() {
  const library = useShared((state) => state.library);
  const sheet = countOf(useSheet().data?.sheet);
  const counts = useQuery({
    queryKey: ["counts", library],
    enabled: !!library,
    queryFn: () => got(api.GET("/api/lib/{library}/counts", { params: { path: { library } } })),
  });
  return (
    <Flex
      as="nav"
      aria-label="Stages"
      direction="column"
      w="88px"
      flexShrink={0}
      bg="sheet"
      borderRight="1px solid"
      borderColor="line"
      p="8px"
      gap="4px"
    >
      {STAGES.map(([slug, name, unit]) => {
        const count = counts.data?.[slug];
        return (
          <chakra.span key={slug} asChild>
            <NavLink to={`/${slug}`} style={{ display: "block" }}>
              {({ isActive }) => (
                <Box
                  pl="6px"
                  py="7px"
                  borderRadius="8px"
                  bg={isActive ? "raised" : "transparent"}
                  borderLeft="3px solid"
                  borderColor={isActive ? "amber" : "transparent"}
                  color={isActive ? "chalk" : "dim"}
                  _hover={{ color: "chalk" }}
                >
                  {name}
                  <Box fontFamily="mono" fontSize="10px" letterSpacing="-0.3px" whiteSpace="nowrap" color="dim" minH="14px">
                    {slug === "ship" && sheet
                      ? `${sheet} listed`
                      : count === undefined
                        ? ""
                        : `${count} ${count === 1 ? unit.replace(/s$/, "") : unit}`}
                  </Box>
                </Box>
              )}
            </NavLink>
          </chakra.span>
        );
      })}
    </Flex>
  );
}

/** A take that is being recorded while another stage is looked at. */
function RecordingBadge() {
  const { state, seconds, name, number } = useRecording();
  const go = useNavigate();
  if (state !== "recording" && state !== "ending") return null;
  return (
    <Do on onClick={() => go("/gather?panel=record")} hint="A take is being recorded; go to it">
      <Box as="span" color="coral">
        Recording
      </Box>
      {name} {String(number).padStart(2, "0")}
      <Box as="span" fontFamily="mono" fontSize="12px">
        {seconds.toFixed(0)} s
      </Box>
    </Do>
  );
}

export function Shell() {
  useModels(); // what controls are drawn from is here before a stage is
  const library = useShared((state) => state.library);
  const [finding, setFinding] = useState(false);
  const [listing, setListing] = useState(false);
  const wanting = useShared((state) => state.wanting);
  const worn = useLook((state) => state.worn);
  const framed = useTurns(1) > 0;
  useJobEvents();
  useHeightKeys();
  useEffect(() => void recoverLeft(), []);
  useKeys({
    play: () => player.toggle(),
    loop: () => {
      useListening.setState((state) => ({ looping: !state.looping }));
      player.setLoop(useListening.getState().loop);
    },
    find: () => setFinding(true),
    list: () => setListing((open) => !open),
    wanted: () => useShared.setState({ wanting: !useShared.getState().wanting }),
    name: () => tell("There is nothing chosen here that could be named."),
  });
  const change = () => {
    const next = worn === "night" ? "paper" : "night";
    localStorage.setItem("look", next);
    wear(next);
  };
  // files dropped anywhere are taken in; the browser must never show them in place of the app
  const takeIn = (event: DragEvent) => {
    if (!event.dataTransfer.types.includes("Files")) return;
    event.preventDefault();
    dropped(event).then(upload, complain);
  };
  return (
    <Flex direction="column" h="100%" onDragOver={(event) => event.dataTransfer.types.includes("Files") && event.preventDefault()} onDrop={takeIn}>
      <Flex as="header" h="48px" flexShrink={0} align="center" gap="14px" px="16px" bg="sheet" borderBottom="1px solid" borderColor="line">
        <Box fontFamily="heading" fontSize="19px" fontWeight={700}>
          oskren
          <Box as="span" color="amber">
            .
          </Box>
        </Box>
        <Libraries />
        <Projects />
        <Box flex={1} />
        <Do onClick={() => setFinding(true)} act="find">
          <Box as="span" color="dim" fontWeight={400}>
            Find
            <Box as="span" css={IN_WIDE}>
              {" "}
              a sound, design or command
            </Box>
          </Box>
        </Do>
        <RecordingBadge />
        <JobsView />
        <Do quiet onClick={change} hint="Change between the dark and the light look">
          {worn === "night" ? "Paper" : "Night"}
        </Do>
        <Do quiet onClick={() => setListing(true)} act="list">
          Keys
        </Do>
      </Flex>
      <Flex flex={1} minH={0}>
        <Stages />
        <Box as="main" flex={1} minW={0} position="relative" key={library}>
          {library && framed && (
            <Suspense fallback={null}>
              <Routes>
                {STAGES.map(([slug]) => (
                  <Route key={slug} path={`/${slug}`} element={<Stage key={slug} slug={slug} />} />
                ))}
                <Route path="*" element={<Navigate to="/gather" replace />} />
              </Routes>
            </Suspense>
          )}
        </Box>
      </Flex>
      <Strip />
      <Messages />
      <Hints />
      {library && wanting && (
        <Suspense fallback={<Coming onClose={unwant} />}>
          <Wanted onClose={unwant} />
        </Suspense>
      )}
      {finding && <Find onClose={() => setFinding(false)} />}
      {listing && <KeyList onClose={() => setListing(false)} />}
    </Flex>
  );
}
