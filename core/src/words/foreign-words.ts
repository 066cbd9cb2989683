import { plainText } from '../text/words.ts';

/**
 * Words for sounds, their sources and places in other languages, with the English word that stands for them in the vocabulary. Put together
 * from general knowledge; only asked for words that the English vocabulary does not know. `english: foreign foreign …`, `_` for a space.
 */
const LANGUAGES: Record<string, string> = {
  German: `
    dog: hund hunde; dog bark: bellt bellen gebell; growl: knurrt knurren; cat: katze katzen kater; meow: miaut miauen; purr: schnurrt schnurren; horse: pferd pferde; whinny: wiehert wiehern;
    cow: kuh kuehe rind; sheep: schaf schafe; goat: ziege ziegen; pig: schwein schweine; chicken: huhn huehner henne; rooster: hahn kraeht; goose: gans gaense; duck: ente enten; bird: vogel voegel;
    birdsong: vogelgesang vogelstimmen vogelgezwitscher gezwitscher; crow: kraehe kraehen; owl: eule kauz; seagull: moewe moewen; insect: insekt insekten; bee: biene bienen; fly: fliege fliegen; frog: frosch froesche; wolf: wolf woelfe;
    door: tuer tueren tore; gate: tor gatter gartentor; barn: scheune scheunen; creak: knarrt knarren knarzt quietscht quietschen knarzen; slam: zuschlagen knallt zugeschlagen; open: auf oeffnen oeffnet; shut: zu schliessen schliesst; drawer: schublade schubladen; window: fenster; key: schluessel; lock: schloss; doorbell: klingel tuerklingel; knock: klopfen klopft;
    cupboard: schrank kuechenschrank; car: auto pkw wagen; truck: lkw lastwagen; motorcycle: motorrad moped; bicycle: fahrrad; bus: bus reisebus; train: zug zuege bahn eisenbahn; subway: ubahn; tram: strassenbahn tram; station: bahnhof; brake: bremse bremsen bremst; tractor: traktor trecker; engine: motor motoren; horn: hupe hupen hupt; ship: schiff schiffe; boat: boot boote; airplane: flugzeug flugzeuge; helicopter: hubschrauber; traffic: verkehr strassenverkehr autobahn; passing by: vorbeifahrt;
    rain: regen regnet; thunder: donner gewitter; thunderstorm: unwetter; wind: wind sturm; hail: hagel; snow: schnee; water: wasser; river: fluss; brook: bach; sea: meer; waves: wellen; surf: brandung; drip: tropfen tropft; splash: platschen plaetschern spritzt; waterfall: wasserfall; fire: feuer; crackle: knistern knistert; ice: eis; lake: see;
    footsteps: schritte fussschritte; stairs: treppe; wood: holz; metal: metall blech; glass: glas; stone: stein steine; gravel: kies schotter; sand: sand; leather: leder; paper: papier; cloth: stoff kleidung; plastic: plastik kunststoff; rubber: gummi; concrete: beton; chain: kette ketten; rope: seil; bottle: flasche flaschen; glass break: scherben; break: zerbrechen zerbricht;
    drill: bohrmaschine bohrer; hammer: hammer haemmern; saw: saege saegen; workshop: werkstatt; machine: maschine maschinen; vacuum cleaner: staubsauger; washing machine: waschmaschine; pump: pumpe; fan: ventilator luefter; fridge: kuehlschrank; elevator: aufzug fahrstuhl; telephone: telefon; clock: uhr wecker; ticking: ticken tickt; bell: glocke glocken; church bell: kirchenglocke kirchenglocken; church: kirche dom; organ: orgel; alarm: alarm; siren: sirene;
    crowd: menge menschenmenge publikum; applause: applaus beifall klatschen; people: leute menschen touristen; voices: stimmen; man: mann maenner; woman: frau frauen; child: kind kinder; baby: baby saeugling; laugh: lachen lacht; cry: weinen weint; scream: schrei schreit schreien; cough: husten hustet; breath: atem atmen; sneeze: niesen; whisper: fluestern; street: strasse; city: stadt; village: dorf; forest: wald; park: park; market: markt; restaurant: restaurant gaststaette; kitchen: kueche; bathroom: badezimmer; school: schule; hospital: krankenhaus; airport: flughafen; harbour: hafen; factory: fabrik; office: buero; playground: spielplatz; swimming pool: schwimmbad; farm: bauernhof; ambience: atmosphaere umgebung; room tone: raumton; interior: innen drinnen innenraum; exterior: aussen draussen; night: nacht; morning: morgen;
    shot: schuss schuesse; gun: gewehr waffe; pistol: pistole; explosion: explosion; bang: knall; sword: schwert; punch: faustschlag schlag; plate: teller; cutlery: besteck; pour: giessen eingiessen; eating: essen kauen; drink: trinken; frying: braten; cooking: kochen; coin: muenze muenzen; zipper: reissverschluss; writing: schreiben; broom: besen; bag: tasche tuete; toilet: toilette spuelung klo; shower: dusche; tap: wasserhahn; roof: dach; mill: muehle; loom: webstuhl; wheel: rad; pottery: toepferei toepfer`,
  French: `
    dog: chien chiens chienne; dog bark: aboie aboiement aboiements; growl: grogne; cat: chat chats; meow: miaule miaulement; purr: ronronne ronronnement; horse: cheval chevaux; cow: vache vaches; sheep: mouton moutons; goat: chevre; pig: cochon; chicken: poule poules; rooster: coq; goose: oie oies; duck: canard canards; bird: oiseau oiseaux; crow: corbeau corneille; owl: hibou chouette; seagull: mouette mouettes; insect: insecte insectes; bee: abeille abeilles; fly: mouche; frog: grenouille grenouilles; wolf: loup loups;
    door: porte portes; gate: portail grille; creak: grince grincement grincante craque; slam: claque claquement claquee; open: ouvre ouverture ouvrir; shut: ferme fermeture fermer; drawer: tiroir; window: fenetre; key: cle cles clef; lock: serrure verrou; knock: frappe toque; doorbell: sonnette; cupboard: placard armoire;
    car: voiture voitures; truck: camion; motorcycle: moto motos; bicycle: velo bicyclette; train: train trains; subway: metro; station: gare; brake: frein freinage; tractor: tracteur; engine: moteur; horn: klaxon; ship: navire paquebot; boat: bateau barque peniche; airplane: avion avions; helicopter: helicoptere; traffic: circulation trafic autoroute; passing by: passage;
    rain: pluie averse pleut; thunder: tonnerre; thunderstorm: orage; wind: vent rafale; hail: grele; snow: neige; water: eau; river: riviere fleuve; brook: ruisseau; sea: mer; waves: vagues; surf: ressac; drip: goutte gouttes goutte_a_goutte; splash: eclaboussure plouf; waterfall: cascade chute_deau; fire: feu; crackle: crepite crepitement; ice: glace; roof: toit; metal: tole metal acier fer; lake: lac;
    footsteps: pas marche; stairs: escalier; wood: bois; glass: verre vitre; stone: pierre caillou cailloux; gravel: gravier; leather: cuir; paper: papier; cloth: tissu vetement; plastic: plastique; rubber: caoutchouc; concrete: beton; chain: chaine; rope: corde; bottle: bouteille bouteilles; break: casse brise cassee;
    drill: perceuse; hammer: marteau; saw: scie; workshop: atelier; machine: machine; vacuum cleaner: aspirateur; washing machine: lave_linge; pump: pompe; fan: ventilateur; fridge: frigo refrigerateur; elevator: ascenseur; telephone: telephone; clock: horloge pendule; alarm clock: reveil; bell: cloche cloches clochette; church: eglise; organ: orgue; siren: sirene;
    crowd: foule; applause: applaudissements; people: gens; voices: voix; man: homme; woman: femme; child: enfant enfants; baby: bebe; laugh: rire rires rit; cry: pleure pleurs; scream: cri crie; cough: toux tousse; breath: souffle respiration; sneeze: eternue; whisper: chuchote murmure; street: rue; city: ville; village: village; forest: foret; market: marche_couvert; kitchen: cuisine; bathroom: salle_de_bain; school: ecole; hospital: hopital; airport: aeroport; harbour: port_de_peche; factory: usine; office: bureau; playground: cour_de_recreation; farm: ferme_agricole; ambience: ambiance; interior: interieur; exterior: exterieur; night: nuit; morning: matin;
    shot: coup_de_feu tir tirs; gun: fusil; pistol: pistolet; sword: epee; punch: coup_de_poing; plate: assiette assiettes; cutlery: couverts fourchette cuillere couteau; pour: verse verser; eating: mange macher; drink: boit; frying: friture poele; coin: piece_de_monnaie; zipper: fermeture_eclair; writing: ecriture; broom: balai; toilet: chasse_deau toilettes; shower: douche; tap: robinet; mill: moulin; loom: metier_a_tisser; wheel: roue; pottery: poterie potier; dishes: vaisselle empilees`,
  Spanish: `
    dog: perro perros; dog bark: ladra ladrido ladridos; growl: grune; cat: gato gatos; meow: maulla maullido; purr: ronronea; horse: caballo caballos; cow: vaca vacas; sheep: oveja ovejas; goat: cabra cabras; pig: cerdo; chicken: gallina gallinas; rooster: gallo; goose: ganso gansos; duck: pato patos; bird: pajaro pajaros ave aves; crow: cuervo; owl: buho; seagull: gaviota gaviotas; insect: insecto insectos; bee: abeja abejas; fly: mosca; frog: rana ranas; wolf: lobo lobos; cricket: grillo grillos;
    door: puerta puertas; gate: porton reja; creak: chirrido chirria cruje crujido rechina; slam: portazo golpea; open: abre abrir abriendo; shut: cierra cerrar; drawer: cajon; window: ventana; key: llave llaves; lock: cerradura cerrojo; doorbell: timbre; cupboard: armario;
    car: coche auto_carro carro automovil; truck: camion; motorcycle: moto motocicleta; bicycle: bicicleta; train: tren trenes; subway: metro; station: estacion; brake: frena freno frenazo; tractor: tractor; engine: motor arranca; horn: bocina claxon pita; ship: barco buque; boat: lancha bote; airplane: avion; helicopter: helicoptero; traffic: trafico autopista; accelerate: acelera acelerando; drives away: aleja se_aleja;
    rain: lluvia llueve aguacero; thunder: trueno truenos; thunderstorm: tormenta; wind: viento; hail: granizo; snow: nieve; water: agua; river: rio; brook: arroyo; sea: mar; waves: olas; drip: goteo gota gotas; splash: chapoteo salpica; waterfall: cascada; fire: fuego hoguera; crackle: chisporroteo crepita; ice: hielo; lake: lago;
    footsteps: pasos pisadas; stairs: escalera escaleras; wood: madera; metal: chapa hierro acero; glass: vidrio cristal; stone: piedra piedras; gravel: grava; sand: arena; leather: cuero; paper: papel; cloth: tela ropa; plastic: plastico; rubber: goma; concrete: hormigon; chain: cadena cadenas; rope: cuerda soga; bottle: botella botellas; break: rompe rotura;
    drill: taladro; hammer: martillo; saw: sierra; workshop: taller; machine: maquina; vacuum cleaner: aspiradora; washing machine: lavadora; pump: bomba_de_agua; fan: ventilador; fridge: nevera frigorifico; elevator: ascensor; telephone: telefono; clock: reloj; alarm clock: despertador; bell: campana campanas campanilla; church: iglesia catedral; church bell: campanario; siren: sirena;
    crowd: multitud gentio muchedumbre; applause: aplauso aplausos; people: gente; voices: voces; man: hombre; woman: mujer; child: nino ninos nina; baby: bebe; laugh: risa risas rie; cry: llora llanto; scream: grito gritos grita; cough: tos tose; breath: respiracion aliento; sneeze: estornudo; whisper: susurro; street: calle; city: ciudad; village: pueblo; forest: bosque; jungle: selva; market: mercado; kitchen: cocina; bathroom: bano; school: escuela; airport: aeropuerto; harbour: puerto; factory: fabrica; office: oficina; farm: granja; ambience: ambiente; interior: interior dentro; night: noche; morning: manana; distant: lejos; fair: feria;
    shot: disparo disparos tiro; pistol: pistola; sword: espada; punch: punetazo; plate: plato platos; cutlery: cubiertos; pour: vierte; eating: comer mastica; coin: moneda monedas; zipper: cremallera; broom: escoba; toilet: inodoro; shower: ducha; tap: grifo; mill: molino; loom: telar; wheel: rueda; pottery: alfareria`,
  Italian: `
    dog: cane cani; dog bark: abbaia abbaio; cat: gatto gatti; meow: miagola; horse: cavallo cavalli; cow: mucca mucche; sheep: pecora pecore; chicken: gallina; rooster: gallo; goose: oca oche; bird: uccello uccelli; seagull: gabbiano gabbiani; bee: ape api; frog: rana rane; wolf: lupo lupi;
    door: porta porte; gate: cancello; creak: cigola cigolio scricchiola; slam: sbatte; drawer: cassetto; window: finestra; key: chiave chiavi; doorbell: campanello; car: macchina automobile; truck: camion; motorcycle: moto motorino; bicycle: bicicletta; train: treno treni; subway: metropolitana; station: stazione; brake: frenata frena; engine: motore; ship: nave; boat: barca gondola; airplane: aereo; helicopter: elicottero; traffic: traffico;
    rain: pioggia piove; thunder: tuono tuoni; thunderstorm: temporale; wind: vento; hail: grandine; snow: neve; water: acqua; river: fiume; brook: ruscello torrente; sea: mare; waves: onde; drip: goccia gocce gocciola; splash: tonfo_in_acqua; waterfall: cascata cascate; fire: fuoco; ice: ghiaccio; lake: lago; footsteps: passi passo; stairs: scale; wood: legno; metal: metallo lamiera ferro; glass: vetro bicchiere; stone: pietra sasso sassi; gravel: ghiaia; leather: cuoio pelle; paper: carta; cloth: stoffa vestiti; chain: catena catene; bottle: bottiglia; break: rompe rotto;
    drill: trapano; hammer: martello; saw: sega; machine: macchinario; vacuum cleaner: aspirapolvere; washing machine: lavatrice; fan: ventilatore; elevator: ascensore; telephone: telefono; clock: orologio; alarm clock: sveglia; bell: campana campane; church: chiesa; siren: sirena; crowd: folla; applause: applausi applauso; voices: voci; man: uomo; woman: donna; child: bambino bambini bambina; baby: neonato; laugh: risata ride; cry: piange pianto; scream: urlo urla grida; cough: tosse tossisce; breath: respiro; sneeze: starnuto; street: strada via; city: citta; forest: foresta bosco; market: mercato; kitchen: cucina; school: scuola; harbour: porto; factory: fabbrica; office: ufficio; farm: fattoria; night: notte; distant: lontana lontano; shot: sparo spari; pistol: pistola; sword: spada; plate: piatto piatti; cutlery: posate; pour: versa; coin: moneta; zipper: cerniera; shower: doccia; tap: rubinetto; mill: mulino; wheel: ruota; roof: tetto`,
  Portuguese: `
    dog: cachorro cao caes; dog bark: late latido; cat: gato; horse: cavalo; cow: vaca boi; sheep: ovelha; chicken: galinha; rooster: galo; goose: ganso; bird: passaro passaros; seagull: gaivota; frog: sapo; door: porta portas; gate: portao; creak: rangido range; slam: batida; drawer: gaveta; window: janela; key: chave chaves; car: carro; truck: caminhao; motorcycle: moto; train: trem comboio; engine: motor; ship: navio; boat: barco; airplane: aviao; rain: chuva; thunder: trovao; thunderstorm: tempestade trovoada; wind: vento; water: agua; river: rio; sea: mar; waves: ondas; drip: pingo gotejar; waterfall: cachoeira; fire: fogo; footsteps: passos; heels: salto saltos; stairs: escada; wood: madeira; metal: metal; glass: vidro; stone: pedra; marble: marmore; paper: papel; bottle: garrafa; hammer: martelo; saw: serra; drill: furadeira; fridge: geladeira; elevator: elevador; telephone: telefone; clock: relogio; bell: sino sinos; church: igreja; crowd: multidao; applause: aplausos palmas; voices: vozes; man: homem; woman: mulher; child: crianca criancas; laugh: riso risada; cry: choro chora; scream: grito; cough: tosse; street: rua; city: cidade; forest: floresta mata; market: mercado feira_livre; kitchen: cozinha; beach: praia; corridor: corredor; night: noite; shot: tiro; plate: prato; coin: moeda; mill: moinho; roof: telhado`,
  Dutch: `
    dog: hond honden; dog bark: blaft blaffen; cat: kat poes; horse: paard paarden; cow: koe koeien; sheep: schaap schapen; chicken: kip kippen; rooster: haan; goose: gans ganzen; duck: eend eenden; bird: vogel vogels; seagull: meeuw meeuwen; frog: kikker; door: deur deuren; gate: hek poort; creak: kraakt piept kraken; slam: dichtslaan; drawer: lade; window: raam; key: sleutel sleutels; car: auto; truck: vrachtwagen; motorcycle: motorfiets; bicycle: fiets; train: trein; brake: remt; ship: schip; boat: boot; airplane: vliegtuig; traffic: verkeer; rain: regen; thunder: donder onweer; wind: wind; water: water; river: rivier; sea: zee; waves: golven; drip: druppels druppel; fire: vuur; footsteps: voetstappen stappen; stairs: trap; wood: hout houten; metal: metaal; stone: steen; gravel: grind; paper: papier; bottle: fles; hammer: hamer; saw: zaag; drill: boor boormachine; vacuum cleaner: stofzuiger; clock: klok; bell: bel klokken; church: kerk; crowd: menigte; applause: applaus; voices: stemmen; man: man; woman: vrouw; child: kind kinderen; laugh: lachen; scream: gil schreeuw; cough: hoest; street: straat; city: stad; forest: bos; market: markt; kitchen: keuken; school: school; factory: fabriek; office: kantoor; farm: boerderij; night: nacht; shot: schot; plate: bord borden; coin: munt; mill: molen; windmill: windmolen; wheel: wiel; loom: weefgetouw`,
  Swedish: `
    dog: hund hundar; dog bark: skaller skall; growl: morrar; animal: djur; cat: katt katter; purr: spinner; meow: jamar; horse: hast hastar; whinny: gnaggar; cow: ko kor; sheep: far_lamm; chicken: hons hona; rooster: tupp; goose: gas gass; duck: anka and_flyger; bird: fagel faglar; seagull: mas masar; owl: uggla; wolf: varg vargar; door: dorr dorrar; gate: grind; creak: knarrar gnisslar; slam: smaller; drawer: lada_ut; window: fonster; key: nyckel nycklar; car: bil bilar; truck: lastbil; motorcycle: motorcykel; bicycle: cykel; train: tag taget; subway: tunnelbana; station: stationen; brake: bromsar; ship: fartyg; boat: bat batar; airplane: flygplan; rain: regn regnar; thunder: aska; wind: vind blast; snow: sno; water: vatten; river: alv; brook: back bacck; sea: hav; waves: vagor; drip: droppar dropp; fire: eld brasa; footsteps: steg fotsteg; stairs: trappa; wood: tra; glass: glas; stone: sten; gravel: grus; paper: papper; bottle: flaska; hammer: hammare; saw: sag sagar; drill: borr; clock: klocka; bell: klockor; church: kyrka; crowd: folkmassa publik; applause: applader applad; voices: roster; man: man; woman: kvinna; child: barn; laugh: skrattar skratt; cry: grater; scream: skrik skriker; cough: hosta hostar; street: gata; city: stad; forest: skog; market: torg; kitchen: kok koket; school: skola; factory: fabrik; office: kontor; night: natt; near: nara; shot: skott; plate: tallrik; mill: kvarn; wheel: hjul; loom: vavstol`,
  Japanese: `
    rain: 雨; heavy rain: 強い雨 大雨; window: 窓; glass: ガラス; interior: 室内 屋内; exterior: 室外 屋外; thunder: 雷; wind: 風; water: 水; river: 川; sea: 海; waves: 波; waterfall: 滝; fire: 火 焚き火; snow: 雪; dog: 犬; dog bark: 吠える; cat: 猫; bird: 鳥; crow: カラス; cicada: 蝉; insect: 虫; horse: 馬; door: ドア 扉; slam: バタン; footsteps: 足音 歩く; stairs: 階段; car: 車 自動車; train: 電車 列車; station: 駅; airplane: 飛行機; helicopter: ヘリコプター; bicycle: 自転車; motorcycle: バイク; telephone: 電話; clock: 時計; bell: 鐘 ベル; crowd: 群衆 人混み; applause: 拍手; laugh: 笑い 笑い声; scream: 悲鳴; baby: 赤ちゃん; street: 街 道路; forest: 森; market: 市場; kitchen: 台所; restaurant: レストラン; school: 学校; paper: 紙; wood: 木; metal: 金属; sword: 刀; gun shot: 銃声; explosion: 爆発; machine: 機械; cough: 咳`,
};

/** The English words for a foreign one, by its plain form. */
export class ForeignWords {
  /** The English by language, of words as they stand in the dictionary. */
  private readonly exact = new Map<string, Map<string, string>>();
  private readonly english = new Map<string, { english: string; language: string }>();
  private readonly written: { word: string; english: string; language: string }[] = [];

  constructor() {
    for (const [language, text] of Object.entries(LANGUAGES))
      for (const entry of text.split(';')) {
        const [english = '', words = ''] = entry.split(':').map((part) => part.trim());
        for (const word of words.split(' ').filter(Boolean)) this.add(word.replaceAll('_', ' '), english, language);
      }
  }

  private add(word: string, english: string, language: string): void {
    if (isWrittenTogether(word)) this.written.push({ word, english, language });
    const plain = withUmlauts(word);
    const byLanguage = this.exact.get(plain) ?? new Map<string, string>();
    if (!byLanguage.has(language)) byLanguage.set(language, english);
    this.exact.set(plain, byLanguage);
    const keys = [word, foreignStem(word)];
    for (const key of keys) if (!this.english.has(key)) this.english.set(key, { english, language });
  }

  /**
   * The English for a lower-case word without accents: as it stands, without its ending, with umlauts written out, or by the parts of a compound. Several for writing without spaces. Empty when nobody knows it.
   */
  find(word: string): { english: string; language: string }[] {
    if (isWrittenTogether(word)) {
      const found = this.written.filter((each) => word.includes(each.word));
      // “強い雨” says more than the “雨” in it.
      return found.filter((each) => !found.some((other) => other !== each && other.word.includes(each.word)));
    }
    const plain = plainText(word);
    const known =
      this.english.get(plain) ?? this.english.get(foreignStem(plain)) ?? this.english.get(withUmlauts(plain));
    if (known) return [known];
    return this.partsOf(plain);
  }

  /** The languages in which a word stands in the dictionary as it is. */
  languagesOf(word: string): string[] {
    return [...(this.exact.get(withUmlauts(word))?.keys() ?? [])];
  }

  /** The English for a word of a language, as it stands in the dictionary. */
  exactly(word: string, language: string): string | undefined {
    return this.exact.get(withUmlauts(word))?.get(language);
  }

  /** The parts of a compound, its head first: of “blechdach” the roof, then the metal. What is before the head may be unknown when it is long. */
  private partsOf(word: string): { english: string; language: string }[] {
    for (let at = 4; at <= word.length - 3; at += 1) {
      const tail = this.english.get(word.slice(at)) ?? this.english.get(withUmlauts(word.slice(at)));
      if (!tail || !COMPOUNDING.has(tail.language)) continue;
      const before = word.slice(0, at).replace(/s$/, '');
      const head = this.english.get(before) ?? this.english.get(foreignStem(before));
      if (head && COMPOUNDING.has(head.language)) return [tail, head];
      if (word.length - at >= 5) return [tail];
    }
    return [];
  }
}

const COMPOUNDING = new Set(['German', 'Dutch', 'Swedish']);

function isWrittenTogether(word: string): boolean {
  return /[\p{Script=Han}\p{Script=Hiragana}\p{Script=Katakana}]/u.test(word);
}

/** The dictionary writes ue for ü; names drop the dots or write them out. */
function withUmlauts(word: string): string {
  return word.replace(/ae/g, 'a').replace(/oe/g, 'o').replace(/ue/g, 'u');
}

/** Without plural and gender, roughly. */
function foreignStem(word: string): string {
  const single = word.length > 4 ? word.replace(/[sn]$/, '') : word;
  return withUmlauts(single.length > 3 ? single.replace(/[aeio]$/, '') : single);
}
