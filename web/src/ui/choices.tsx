/** One of several, side by side or folded; yes or no. */
import { Box, Checkbox, createListCollection, Portal, RatingGroup, SegmentGroup, Select, type SelectRootProps, Switch } from "@chakra-ui/react";
import { type ReactNode, useMemo, useRef } from "react";

/** A choice of few, side by side. */
export function Pick<T extends string>({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: T;
  options: readonly T[];
  onChange: (value: T) => void;
}) {
  return (
    <Box>
      <Box color="dim" mb="3px" aria-hidden>
        {label}
      </Box>
      <SegmentGroup.Root
        aria-label={label}
        value={value}
        onValueChange={(chosen) => {
          const option = options.find((one) => one === chosen.value);
          if (option !== undefined && option !== value) onChange(option);
        }}
      >
        {options.map((option) => (
          <SegmentGroup.Item key={option} value={option}>
            <SegmentGroup.ItemText>{option}</SegmentGroup.ItemText>
            <SegmentGroup.ItemHiddenInput />
          </SegmentGroup.Item>
        ))}
      </SegmentGroup.Root>
    </Box>
  );
}

type ChooseProps = Omit<SelectRootProps, "collection" | "value" | "onChange" | "onValueChange" | "children"> & {
  label: string;
  value: string;
  options: readonly (readonly [string, string])[];
  onChange: (value: string) => void;
};

/** A choice of many, folded. Options are [value, what it is called]. */
export function Choose({ label, value, options, onChange, ...rest }: ChooseProps) {
  const trigger = useRef<HTMLButtonElement>(null);
  const byMouse = useRef(false);
  const listed = JSON.stringify(options);
  // an empty value is a choice like any other here, and none at all to the component
  const collection = useMemo(
    () => createListCollection({ items: (JSON.parse(listed) as [string, string][]).map(([key, name]) => ({ value: `=${key}`, label: name })) }),
    [listed],
  );
  return (
    <Select.Root
      collection={collection}
      value={[`=${value}`]}
      lazyMount
      unmountOnExit
      positioning={{ sameWidth: false, placement: "bottom-start" }}
      onValueChange={(chosen) => {
        const [next] = chosen.value;
        if (next !== undefined && next.slice(1) !== value) onChange(next.slice(1));
      }}
      // chosen by the mouse, it does not keep the keys
      onExitComplete={() => byMouse.current && trigger.current?.blur()}
      {...rest}
    >
      <Select.Label>{label}</Select.Label>
      <Select.Control>
        <Select.Trigger
          ref={trigger}
          title={label}
          onPointerDown={() => {
            byMouse.current = true;
          }}
          onKeyDown={() => {
            byMouse.current = false;
          }}
        >
          <Select.ValueText />
        </Select.Trigger>
        <Select.IndicatorGroup>
          <Select.Indicator />
        </Select.IndicatorGroup>
      </Select.Control>
      <Portal>
        <Select.Positioner>
          <Select.Content>
            {collection.items.map((item) => (
              <Select.Item key={item.value} item={item}>
                <Select.ItemText>{item.label}</Select.ItemText>
              </Select.Item>
            ))}
          </Select.Content>
        </Select.Positioner>
      </Portal>
    </Select.Root>
  );
}

/** One of five, as numbers; the one that is given already takes it back. */
export function Grade({ label, value, onChange }: { label: string; value: number; onChange: (value: number) => void }) {
  return (
    <RatingGroup.Root
      count={5}
      value={value}
      onValueChange={(given) => given.value >= 1 && onChange(given.value)}
      translations={{ ratingValueText: (index) => `${label} ${index}` }}
    >
      <RatingGroup.HiddenInput />
      <RatingGroup.Control aria-label={label}>
        {[1, 2, 3, 4, 5].map((step) => (
          <RatingGroup.Item key={step} index={step} title={`${label} ${step}`} onClick={() => step === value && onChange(0)}>
            {step}
          </RatingGroup.Item>
        ))}
      </RatingGroup.Control>
    </RatingGroup.Root>
  );
}

/** Yes or no; without ``children`` its name is only spoken. */
export function Tick({
  label,
  on,
  onChange,
  disabled,
  children,
}: {
  label: string;
  on: boolean;
  onChange: (on: boolean) => void;
  disabled?: boolean;
  children?: ReactNode;
}) {
  return (
    <Checkbox.Root checked={on} disabled={disabled} onCheckedChange={(now) => onChange(now.checked === true)}>
      <Checkbox.HiddenInput aria-label={label} />
      <Checkbox.Control />
      {children !== undefined && <Checkbox.Label>{children}</Checkbox.Label>}
    </Checkbox.Root>
  );
}

/** Something that works or rests: its name is only spoken. */
export function Turn({ label, hint, on, onChange }: { label: string; hint: string; on: boolean; onChange: (on: boolean) => void }) {
  return (
    <Switch.Root colorPalette="glass" checked={on} onCheckedChange={(now) => onChange(now.checked)} title={hint}>
      <Switch.HiddenInput role="switch" aria-label={label} />
      <Switch.Control />
    </Switch.Root>
  );
}
