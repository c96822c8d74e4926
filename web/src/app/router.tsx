import { createBrowserRouter } from "react-router";

import { Frame } from "./Frame";
import { RouteTrouble } from "./RouteTrouble";

export const router = createBrowserRouter([
  {
    path: "/",
    element: <Frame />,
    errorElement: <RouteTrouble />,
    hydrateFallbackElement: <></>,
    children: [
      { index: true, lazy: async () => (await import("../stages/shelf/ShelfPage")).route },
      { path: "jobs/new", lazy: async () => (await import("../stages/intake/NewJobPage")).route },
      {
        path: "sheets/new",
        lazy: async () => (await import("../stages/intake/NewSheetPage")).route,
      },
      {
        path: "instruments",
        lazy: async () => (await import("../bench/InstrumentsPage")).route,
      },
      { path: "sums", lazy: async () => (await import("../sums/SumsPage")).route },
      { path: "recordings", lazy: async () => (await import("../sums/RecordingPage")).route },
      { path: "sums/:key", lazy: async () => (await import("../sums/SumsPage")).route },
      { path: "stock", lazy: async () => (await import("../stages/parts/StockPage")).route },
      {
        path: "jobs/:jobId",
        lazy: async () => (await import("../journey/JobFrame")).route,
        children: [
          { index: true, lazy: async () => (await import("../journey/JobPage")).route },
          {
            path: "registers",
            lazy: async () => (await import("../journey/RegistersPage")).route,
          },
          {
            path: "stages/:stage",
            lazy: async () => (await import("../journey/StagePage")).route,
          },
          {
            path: "chassis",
            lazy: async () => (await import("../stages/intake/ChassisPage")).route,
          },
          {
            path: "questions",
            lazy: async () => (await import("../stages/intake/QuestionsPage")).route,
          },
          {
            path: "report",
            lazy: async () => (await import("../stages/handover/ReportPage")).route,
          },
        ],
      },
      { path: "*", element: <RouteTrouble /> },
    ],
  },
]);
