import { Box, Flex, Text } from "@chakra-ui/react";
import { createContext, useContext, useMemo, useState } from "react";
import { Link, Outlet, useMatch } from "react-router";

import { useTheme } from "./useTheme";
import { BareButton } from "../shared/Buttons";
import { useFocusKeeper } from "../shared/useFocusKeeper";

type Where = { set: (text: string) => void };
const WhereContext = createContext<Where>({ set: () => undefined });

/** Lets a page say in the bar where one is: set and job. */
export const useWhere = () => useContext(WhereContext);

/** The bar across the top, and the page under it. */
export function Frame() {
  const [where, setWhere] = useState("");
  const [theme, toggle] = useTheme();
  // what is worked out beside a job can be kept in its log
  const job = useMatch("/jobs/:jobId/*")?.params.jobId;
  const beside = job && job !== "new" ? `?job=${job}` : "";
  useFocusKeeper();
  const context = useMemo(() => ({ set: setWhere }), []);
  const other = theme === "lamplight" ? "Daylight" : "Lamplight";
  return (
    <WhereContext.Provider value={context}>
      <Flex direction="column" minH="100%" h={{ lg: "100%" }} className="page">
        <Flex
          as="header"
          h="52px"
          px={4}
          gap={4}
          align="center"
          bg="panel"
          borderBottomWidth="1px"
          borderColor="edge"
          flexShrink={0}
          className="no-print"
        >
          <Text
            asChild
            fontFamily="heading"
            fontSize="22px"
            fontWeight={600}
            color="glow"
            lineHeight="44px"
          >
            <Link to="/">Glow Dial</Link>
          </Text>
          <Text color="ink" flex="1" truncate data-testid="where">
            {where}
          </Text>
          <BareButton asChild>
            <Link to="/">Shelf</Link>
          </BareButton>
          <BareButton asChild>
            <Link to={`/sums${beside}`}>Sums</Link>
          </BareButton>
          <BareButton asChild>
            <Link to="/instruments">Instruments</Link>
          </BareButton>
          <BareButton asChild>
            <Link to="/stock">Stock</Link>
          </BareButton>
          <BareButton onClick={toggle}>{other}</BareButton>
        </Flex>
        <Box flex="1" minH={0} overflowY={{ lg: "auto" }} className="page">
          <Outlet />
        </Box>
      </Flex>
    </WhereContext.Provider>
  );
}
