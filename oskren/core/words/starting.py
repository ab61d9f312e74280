"""Categories a new library starts with, and the words that speak for them (own list, no source).

A word with ``!`` decides, whatever else is said (a footstep on metal is a footstep); one with ``?`` only hints (materials,
places).
"""

from oskren.core.words.categories import Category, starting

TREE: dict[str, dict[str, str]] = {
    "Ambience": {
        "": "ambience! ambient! atmos! atmosphere! roomtone! background bed? soundscape market? city? dawn? night? cave? swamp? station?",
        "Room": "tone? hall? interior? office?",
        "Weather": "thunder! lightning! thunderstorm!",
    },
    "Animal": {
        "": "animal! creature dog! cat! cow! horse! sheep! goat! pig! lion! wolf! bear! monkey! rat! mouse? snake! bat dragon! monster! beast! zoo? "
        "growl bark bleat moo roar? howl? purr neigh",
        "Bird": "bird! heron! gull! crow! rooster! chicken! duck! owl! pigeon! chirp tweet caw wing flap?",
        "Insect": "insect! bee! fly? cricket! mosquito! wasp! swarm hive",
        "Frog": "frog! toad!",
        "Call": "call?",
    },
    "Cloth": {
        "": "cloth! fabric! textile! silk! canvas linen wool blanket! curtain! jacket! coat! dress! shirt! sail wardrobe? rustle? clothing! garment!",
        "Leather": "leather? strap! belt? backpack! bag glove? saddle!",
        "Zip": "zip! zipper! velcro!",
    },
    "Door": {
        "": "door! gate! fencegate! portcullis! hatch! shutter? doorway! doorbell? airlock? cupboard! wardrobe? drawer? window?",
        "Creak": "creak? squeak?",
    },
    "Electric": {
        "": "electric? electrical! electricity! spark! zap! shock! arc! tesla! transformer! substation! relay! static! interference! fluorescent! neon! "
        "powerline! voltage! buzz hum? emf! radio? short? circuit! switch? robot",
    },
    "Fire": {
        "": "fire flame! furnace burn! burner! campfire! crackle! lava! torch! match? ignite! ignition? sizzle! ember!",
        "Explosion": "explosion! explode! blast! detonation! tnt! bomb! dynamite! firework! fireworks! burst? boom?",
    },
    "Footsteps": {"": "footstep! footsteps! step steps! walk! run? jog! boots! boot? heels! shoes! barefoot! sneakers! stairs? march?"},
    "Glass": {
        "": "glass pane! windowpane! lens bottle! jar! vitreous! crystal! bulb! mirror? goblet! tumbler! vase! chandelier!",
        "Ring": "chime",
        "Shatter": "shatter! shard! shards!",
        "Creak": "creak?",
    },
    "Impact": {
        "": "impact! hit thud! knock? slam? bang? thump! punch! kick! bump! crash boom smack! slap! stomp! fall? collision! bounce? drop? smash? body? whack! "
        "bash! strike? damage? bonk! boing! boink!",
    },
    "Interface": {
        "": "click? beep! bleep! button! notify! notification! alert! dialog! message! error! warning! login! logout! menu! select? complete! confirm! choose! ui! hud! "
        "inventory! pickup? powerup! bell? ring? alarm! minimize! maximize! window? device! plug trash! capture! nudge! popup! toggle! cursor! service! desktop! "
        "log? sys? interface! ringtone! phone? countdown? timer? app! question! screen im? lock? unlock? gui!",
    },
    "Mechanism": {
        "": "gear! gears! clockwork! ratchet! machine! machinery! motor servo! winch! crank! mechanism! mill! windmill! printer! typewriter! conveyor! piston! hydraulic! "
        "pneumatic! pulley! lever! fan! pump! camera! elevator! lift? press? spring? washing? appliance! vacuum! crane! industry factory! plant? projector!",
        "Clock": "clock! tick! ticking!",
        "Lock": "padlock! latch! bolt? lock! key?",
        "Bellows": "bellows",
    },
    "Metal": {
        "": "metal? brass? iron? steel? copper? tin? chain! anvil! gong! plate? sheet? bell? coin! keys! cutlery! pan! pot! lid? hinge! corrugated! bar? pipe? wire? "
        "can? spoon! fork! cymbal? blacksmith! rust? rusty? nail? foil! bucket! scaffold! railing! girder!",
        "Hinge": "hinge",
        "Ring": "",
    },
    "Music": {
        "": "music! melody! chord! drum! guitar! piano! song! stinger! fanfare! theme! violin! flute! trumpet! organ! snare! kickdrum! harmonics! orchestra! tune! jingle? "
        "intro? credits? soundtrack! synth! bass? strum! arpeggio! riff! beat? horn? choir? loop? race?",
    },
    "Plant": {
        "": "plant? kelp! reed! leaf! leaves! foliage! grass bush! hedge! hay! straw! weed! vine! fern! moss! vegetation! garden? forest? flower! crop! shrub!",
    },
    "Stone": {
        "": "stone! rock! gravel? sand? rubble! brick! boulder! pebble! slab! concrete? marble? quarry! cobble! granite! slate! tomb? rockslide! landslide!",
    },
    "Tool": {
        "": "tool? saw! handsaw! hammer! drill! sandpaper! grinder! shovel! axe! chisel! file? rasp shears! scissors! blowtorch! plane? pick! screwdriver! wrench! dig! chop "
        "pickhammer! rake! spade! wheelbarrow! chainsaw! sander! workshop?",
    },
    "Vehicle": {
        "": "vehicle! engine! car! truck! bus! tram! train! rail! railway! tire! tires! tyre! traffic! motorbike! motorcycle! bicycle! bike! tractor! ferry! boat? ship? motorboat! "
        "helicopter! jet! plane airplane! aircraft! cart! carts! wagon! brakes! street? harbour? horn? scooter! submarine! ufo! spaceship! rocket taxi! ambulance! siren! "
        "exhaust! skid!",
    },
    "Voice": {
        "": "voice! vocal! vox! shout! scream! laugh! whisper! crowd! people! talk! speech! grunt! chant! cough! coughing! cheer! chatter! giggle! cry! baby! applause! announcer! "
        "breathing! breath? effort! efforts! man! woman! male! female! human! kid! child! children! groan! moan! sigh! sneeze! hiccup! yawn! yoohoo! ugh! ouch! audience!",
    },
    "Water": {
        "": "water wave! waves! sea! tide! tidal! sluice! bubble! bubbles! stream river rain! pour! waterfall! drain! gurgle! foam! ocean! underwater! hydrophone! "
        "lake? pool? puddle! fountain! coast? bath? tap? liquid! swim! dive! kettle! surf! brook! creek! flush!",
        "Drip": "drip! drips! droplet! drop?",
        "Splash": "splash! plop! plunge! dropinwater!",
    },
    "Weapon": {
        "": "weapon! gun! pistol! rifle! shotgun! cannon! sword! dagger! knife! blade! bow? arrow! spear! laser! missile! mortar! grenade! gatling! bullet! ricochet! shot! "
        "shoot! shooting! reload! unsheathe! flamethrower! bazooka! catapult! crossbow! drillgun! whip! club? mace! shield? ammo! machinegun! phaser! landmine! torpedo! "
        "war? holster! trigger!",
    },
    "Wind and air": {
        "": "wind gust! air? breath? steam! hiss? whoosh! swish! draught! balloon! storm! breeze! howling? deflate! valve? vent! blow? leak! swoosh! windy!",
    },
    "Wood": {
        "": "wood? wooden? plank! timber! board? branch! twig! tree crate! mast! bamboo! chair! table? log? oak? pine? box? stick? barrel! ladder! parquet? furniture! desk? "
        "shelf! choppy!",
        "Creak": "creak?",
    },
}


def starting_categories() -> list[Category]:
    """The categories of a new library."""
    return starting(TREE)
