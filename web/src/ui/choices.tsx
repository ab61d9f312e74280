/** One of several, side by side or folded. */
import { Box, type BoxProps, chakra, Flex } from "@chakra-ui/react";

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
      <Box color="dim" mb="3px">
        {label}
      </Box>
      <Flex gap="5px" wrap="wrap" role="radiogroup" aria-label={label}>
        {options.map((option) => (
          <chakra.button
            key={option}
            type="button"
            role="radio"
            aria-checked={option === value}
            onClick={() => onChange(option)}
            px="7px"
            py="2px"
            fontFamily="mono"
            fontSize="11px"
            borderRadius="5px"
            cursor="pointer"
            bg={option === value ? "amber" : "raised"}
            color={option === value ? "onAmber" : "chalk"}
            fontWeight={option === value ? 650 : 400}
          >
            {option}
          </chakra.button>
        ))}
      </Flex>
    </Box>
  );
}

/** A choice of many, folded. Options are [value, what it is called]. */
export function Choose({
  label,
  value,
  options,
  onChange,
  ...rest
}: Omit<BoxProps, "onChange"> & {
  label: string;
  value: string;
  options: readonly (readonly [string, string])[];
  onChange: (value: string) => void;
}) {
  return (
    <Box asChild bg="ground" border="1px solid" borderColor="line" borderRadius="6px" px="5px" py="3px" fontSize="12px" minW={0} {...rest}>
      <chakra.select aria-label={label} title={label} value={value} onChange={(event) => onChange(event.target.value)}>
        {options.map(([key, name]) => (
          <option key={key} value={key}>
            {name}
          </option>
        ))}
      </chakra.select>
    </Box>
  );
}
