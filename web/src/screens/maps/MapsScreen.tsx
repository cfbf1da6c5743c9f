import { Button, Flex, Typography } from "antd";
import { useParams, useSearchParams } from "react-router";
import { useConversion } from "../../api/conversions";
import { useConversionMaps } from "../../api/maps";
import type { Conversion, ConversionMap } from "../../api/types";
import { Failure } from "../../parts/Failure";
import { useGo } from "../../parts/useGo";
import { spaced } from "../../parts/words";
import { OneMap } from "./OneMap";
import "./maps.css";

/** The maps of one material: the source beside the converted one, what was done in between, and its grade. */
export function MapsScreen({ project }: { project: number }) {
  const id = Number(useParams()["conversion"]);
  const conversion = useConversion(id);
  const maps = useConversionMaps(id);
  const failure = conversion.error ?? maps.error;
  if (failure !== null) return <Failure error={failure} />;
  if (conversion.data === undefined || maps.data === undefined)
    return <p className="screen faded">Looking for its maps…</p>;
  return <Maps project={project} conversion={conversion.data} maps={maps.data} />;
}

function Maps({ project, conversion, maps }: { project: number; conversion: Conversion; maps: ConversionMap[] }) {
  const [search, setSearch] = useSearchParams();
  const go = useGo();
  const shown = maps.find(({ name }) => name === search.get("map")) ?? maps[0];
  const show = (name: string) =>
    setSearch(
      (old) => {
        old.set("map", name);
        return old;
      },
      { replace: true },
    );
  return (
    <div className="screen screen-wide">
      <Flex gap={14} align="baseline">
        <Typography.Title level={4} className="heading">
          {conversion.name}
        </Typography.Title>
        <span className="faded">
          its maps, {spaced(conversion.model)} → {conversion.target_title}
        </span>
        <Button size="small" className="end" onClick={() => go(`/bench/${conversion.id}${window.location.search}`)}>
          To the bench
        </Button>
      </Flex>
      {shown === undefined ? (
        <p className="faded">No value of this conversion is a map: everything is one number or colour.</p>
      ) : (
        <div className="maps">
          <nav aria-label="Maps">
            {maps.map((map) => (
              <button
                key={map.name}
                type="button"
                className={map === shown ? "profile-line chosen" : "profile-line"}
                aria-current={map === shown}
                onClick={() => show(map.name)}
              >
                {map.name}
                <span className="block faded smaller numbers">
                  {map.width} × {map.height}
                  {map.grade.length > 0 && ", graded"}
                </span>
              </button>
            ))}
          </nav>
          <OneMap key={shown.name} project={project} conversion={conversion} map={shown} />
        </div>
      )}
    </div>
  );
}
