/**
 * The words that passwords are made of: 1,024 plain English words, chosen for being short, easy
 * to say and to spell, and of no offence to anybody. A word is worth exactly 10 bits.
 */
export const words: readonly string[] = `
  acorn actor adder album alder alley almond alpaca alpine amber anchor angle ankle anthem antler
  anvil apple apricot apron arbor arch arena armor aroma arrow artichoke artist ash aspen aster
  atlas attic aurora autumn axle azure badge badger bagel bakery balcony ballad balloon bamboo
  banana banjo banner barge baritone barley barn barrel basil basin basket bath bayou beach beacon
  bead beagle beam bean bear beaver bee beech belfry bell belt bench beret berry bicycle birch
  bird biscuit bison bistro blackbird blanket blazer blossom blue bluebell blueberry boat bobbin
  bobcat bonfire bongo bonnet book boot borage border bottle boulder bouquet bowl box bracket
  braid bramble branch brass bread breeze brick bridge brioche brisk broccoli bronze brook broom
  brown brush bubble bucket buckle buffalo bugle builder bulb bullfinch bumble bundle bunny
  bunting burdock burrow butter button cabbage cabin cable cactus cadence cake calico camel
  camellia camera canary candle candy canoe canvas canyon caper captain caramel caravan cargo
  caribou carnival carpet carrot cart cascade cashew castle catkin cauldron cavern cedar celery
  cellar cello cereal chalk chamois chapel charm cheddar cheese cheetah cherry chess chestnut
  chicory chimes chimney chipmunk chisel choir chutney cicada cider cilantro cinder cinema
  cinnamon circle citrus clam clarinet clay clever cliff cloak clock cloud clover coach coast
  cobalt cobble cockle cocoa coconut coffee collar comet compass condor copper coral cork
  cormorant corner cornet corridor cosmos cottage cotton cougar cove coyote cradle cranberry crane
  crayon cream crescent cricket crimson crochet crocus croissant crossing crow crown cruiser crumb
  crystal cuckoo cucumber cup curlew currant curry curtain cushion custard cutlery cycle cymbal
  cypress daffodil dahlia dairy daisy dancer dandelion dawn daylight deck delta denim desert desk
  dewdrop diamond dingo dinner dipper dogwood dolphin domino donkey doodle door dormouse dove
  dragon drawer dream drift drizzle drum duck duckling dumpling dune dusk dynamo eagle eaglet
  early earring earth easel east eastern echo eclair eel eider elbow elder elk elm ember emerald
  endive engine envelope equator ermine evening fable fabric falcon family farmer feather fence
  fennel fern ferret ferry fiddle field fig filbert finch finger fir flag flamingo flannel flask
  fleece flint flora flour flower flute fog folder forest forge fork fossil fountain fox freckle
  friend frog frost fruit fudge funnel gable galaxy gallery gallop gannet garden garlic garnet
  gate gazebo gazelle gecko gentle geyser giant ginger giraffe glacier glad glass glide globe
  glove glow goat golden gondola goose gopher gorse gosling granite grape grass gravel gravy grebe
  green grotto grove guava guest guitar gull guppy haddock hamlet hammer hammock hamster handle
  happy harbor harness harp harvest hat hatch haven hawk hawthorn hay hazel heather hedge helmet
  herb heron herring hickory hill hinge hobby hollow holly honey hood hoop horizon horn horse
  humble humming husky hut iceberg icicle igloo ink inlet insect island ivory ivy jackdaw jacket
  jade jaguar jam jar jasmine jelly jersey jewel jigsaw jolly journal jovial jubilee juggler juice
  jumper jungle juniper kale kayak kennel kestrel kettle kindle kingdom kiosk kitchen kite kitten
  kiwi knapsack koala lace ladder ladybird lagoon lake lamb lamp lantern lapwing larch lark lasso
  lattice laurel lavender lawn leaf leather ledge lemon lemur lentil leopard letter lettuce level
  library lichen lilac lily lime linen lion lizard llama lobster lodge lofty loom lotus lunar
  lunch lupin lute lynx lyric magnet magpie mallard mallet mango mantle maple marble margin
  marigold marina marlin marmot maroon marsh marten mask meadow medal melody melon merlin merry
  meteor midnight mill mimosa mineral mint mirror mist mistletoe mitten moat mobile mole monsoon
  moon moose morning mosaic moss moth motor mountain mouse muffin mug mulberry mural museum
  mushroom music mustard myrtle napkin narrow nature navy nectar needle nest nettle nickel nimble
  noble noodle north notebook novel nugget nutmeg oak oar oasis oatmeal oboe ocean ochre octopus
  olive omelet onion onyx opal opera orange orbit orchard orchid organ oriole osier osprey otter
  ottoman outing oval oven owl oyster pacific paddle paddock page palace palette palm pancake
  panda panther papaya paper parade parcel park parrot parsley parsnip pasta pastry patch path
  patio paving peach peacock peanut pebble pelican pencil penguin penny pepper perch petal petunia
  pewter pheasant piano pickle picnic pigeon pillar pillow pilot pine pink pipit pixel planet
  plank plate plaza plover plum pocket poem polar pollen pond pony poplar poppy porch porridge
  postal potato potter powder prairie pretzel primrose prism puddle puffin pumpkin puppet purple
  puzzle pyramid quail quarry quartz quaver quest quiet quill quilt quince quiver rabbit raccoon
  racket radar radish raft rafter rain raisin ramble ranger raspberry rattle raven ravine recipe
  redwood relay ribbon rice ridge ring ripple river robin rocket rocky rook rope rose rosemary
  round rowan ruby rudder rug rumble runner russet rustic saddle saffron sage sailor salad salmon
  salt salute sandal sandy sapling sapphire satchel satin saturn sauce savanna scarf scarlet
  school scooter scout seagull seal season seaweed sedge seed sequoia shadow shamrock shed sheep
  shelf shell shelter sherbet shield shingle ship shore shovel shrimp shuttle sickle sieve signal
  silk silver siskin skate sketch sky slate sled sleigh slipper slope smooth snail snorkel snow
  soap socket sofa solar sonnet sorrel soup south spaniel sparrow spice spider spinach spindle
  spiral sponge spoon spring sprout spruce squash squid squirrel stable stamp star statue steam
  stem stencil stone stork storm story stove straw stream street string stripe studio sugar summer
  summit sunny sunset supper surf swallow swan sweater swift sycamore syrup table tackle talon
  tangerine tango tapestry tart teacup teal teapot temple tender tennis tent terrace thatch
  theater thicket thimble thistle thrush thunder thyme ticket tidal tiger timber tinsel toast
  toffee tomato topaz torch tortoise toucan tower town tractor trail train trapeze travel treacle
  treasure tree trellis trinket trolley trombone trout trowel truffle trumpet trunk tulip tundra
  tunnel turbine turkey turnip turquoise turtle tweed twig twilight twine umber umbrella unicorn
  upland urchin valley vanilla vapor velvet veranda vessel vest viaduct village vine vineyard
  viola violet violin vista volcano voyage waffle wagon wallet walnut walrus waltz warbler warm
  water wave weasel weather weaver wedge west whale wharf wheat wheel whisker whistle wicker
  wigeon willow wind window winter wisdom wizard wolf wombat wonder wooden wool wren yacht yard
  yarn yarrow yeast yellow yodel yogurt yonder zebra zephyr zigzag zinc zinnia zither
`
  .trim()
  .split(/\s+/);
