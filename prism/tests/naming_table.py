"""Names of passes as people write them, in many styles, with the pass that is meant; None where nobody could tell.

Made up for this test after common practice (no source). The keys are those of the catalogue.
"""

BY_STYLE = {
    "snake case, long": """
        beauty beauty | diffuse diffuse | diffuse_direct diffuse_direct | diffuse_indirect diffuse_indirect
        direct_diffuse diffuse_direct | indirect_diffuse diffuse_indirect | specular specular
        specular_direct specular_direct | specular_indirect specular_indirect | direct_specular specular_direct
        indirect_specular specular_indirect | transmission transmission | subsurface subsurface | emission emission
        volume volume | background background | surface_colour surface_colour | base_color surface_colour
        albedo albedo | raw_light raw_light | raw_diffuse raw_light | diffuse_raw raw_light
        ambient_occlusion occlusion | shadow shadow | wireframe wire | object_id id_object | material_id id_material
        group_id id_group | id_object id_object | crypto_object crypto_object | crypto_material crypto_material
        crypto_asset crypto_group | depth depth | depth_filtered depth_filtered | filtered_depth depth_filtered
        mist mist | normals normals | world_normals normals | camera_normals normals_camera | position position
        world_position position | uv uv | motion motion_forward | motion_vector motion_forward
        motion_forward motion_forward | motion_backward motion_backward | forward motion_forward
        backward motion_backward | variance variance | deep deep
    """,
    "camel case": """
        DiffuseDirect diffuse_direct | diffuseIndirect diffuse_indirect | SpecularDirect specular_direct
        specularIndirect specular_indirect | SubSurfaceScattering subsurface | WorldPosition position
        CameraNormal normals_camera | MotionVector motion_forward | ObjectID id_object | MaterialID id_material
        AmbientOcclusion occlusion | BaseColor surface_colour | RawLight raw_light | RawLighting raw_light
        DiffuseColor surface_colour | CryptoObject crypto_object | CryptoMaterial crypto_material
        CryptoAsset crypto_group | ZDepth depth | WireFrame wire | KeyLight light_key | LightKey light_key
        SSSDir subsurface_direct | GI diffuse_indirect | Caustics specular_indirect
        SelfIllumination emission
        VolumeLighting volume | RL_key light_key
        lightRim light_rim | RimLight light_rim | DiffuseDirectLightKey diffuse_direct_light_key
    """,
    "short forms": """
        diff diffuse | diff_dir diffuse_direct | dif_ind diffuse_indirect | DiffInd diffuse_indirect | spec specular
        spec_dir specular_direct | SpecInd specular_indirect | trans transmission | refr transmission | sss subsurface
        SSS subsurface | emit emission | vol volume | bg background | env background | ao occlusion | AO occlusion
        occ occlusion | shad shadow | Z depth | z depth | N normals | P position | nrm normals | norm normals
        pos position | mv motion_forward | mvec motion_forward | vel motion_forward | fwd motion_forward
        bwd motion_backward | obj_id id_object | mat_id id_material | col_base surface_colour | rgba beauty
        RGBA beauty
        rgb beauty | bty beauty | L_key light_key | L_rim light_rim | lgt_key light_key | lg_key light_key
        gi_diffuse diffuse_indirect | refl specular | rfl_ind specular_indirect | alb albedo | var variance
    """,
    "run together": """
        diffusedirect diffuse_direct | diffuseindirect diffuse_indirect | directdiffuse diffuse_direct
        specindirect specular_indirect | zdepth depth | depthz depth | objectid id_object | materialid id_material
        worldnormal normals | worldposition position | motionvector motion_forward | ambientocclusion occlusion
        cryptoobject crypto_object | cryptomaterial crypto_material | rawlight raw_light | basecolor surface_colour
    """,
    "hyphens, dots and spaces": """
        diffuse-direct diffuse_direct | specular.indirect specular_indirect | raw-light raw_light
        world-position position | motion.forward motion_forward | motion.backward motion_backward
        crypto-object crypto_object | light.key light_key | lights.rim light_rim | key.light light_key
        light-dusk-sky light_dusk_sky | object-id id_object | depth-filtered depth_filtered
    """,
    "plurals and other words": """
        normal normals | shadows shadow | wires wire | reflection specular | reflections specular
        refraction transmission | refractions transmission | environment background | sky background
        velocity motion_forward | vectors motion_forward | volumetrics volume | emissive emission
        incandescence emission | positions position | irradiance raw_light | combined beauty | fog volume
        atmosphere volume | glossy_direct specular_direct | glossy_indirect specular_indirect | glossy specular
        crypto crypto_object | cryptomatte crypto_object | id id_object | zbuffer depth
    """,
    "prefixes of shot, layer and words that say nothing": """
        ORR_010_diffuse diffuse | ORR_010_char_diffuse_direct diffuse_direct | char_beauty beauty
        env_diffuse diffuse | character.specular specular | bgTower_normals normals | hero.N normals | set.Z depth
        orr010_char_v003_emission emission | sh0100_lighting_v012_depth depth | aov_diffuse diffuse
        diffuse_pass diffuse | pass_specular specular | aov.normal normals | render_ao occlusion
        layer1_specular_direct specular_direct | main_beauty beauty | bgLayer.depth depth
        char.crypto_object crypto_object
        shot_light_dusk_sky light_dusk_sky | conservatory_L_moon light_moon | raw_emission emission
        planet3_mist mist | dome.P position | floor_uv uv | final_beauty beauty | fg_shadow shadow
    """,
    "numbered ranks": """
        crypto00 crypto_object00 | crypto_object00 crypto_object00 | CryptoObject01 crypto_object01
        crypto_material02 crypto_material02 | CryptoMaterial00 crypto_material00 | CryptoAsset01 crypto_group01
        crypto_asset00 crypto_group00 | cryptomatte02 crypto_object02 | char.CryptoObject00 crypto_object00
    """,
    "lights": """
        light_lanterns light_lanterns | light_key light_key | key_light light_key | lights_key light_key
        light_moon_rim light_moon_rim | moon_rim_light light_moon_rim | light_group_key light_key
        lightgroup_key light_key | LightGroup_Key light_key | light_sky light_sky | sky_light light_sky
        light_depth light_depth | rgba_light_key light_key | beauty_light_key light_key | light_key_beauty light_key
        key_light_beauty light_key | light.sun light_sun | sun.light light_sun | light1 light_1 | light_01 light_01
    """,
    "components of lights": """
        diffuse_light_key diffuse_light_key | diffuse_direct_light_key diffuse_direct_light_key
        key_light.diffuse_direct diffuse_direct_light_key | light_key.diffuse_direct diffuse_direct_light_key
        diffuse_direct.light_key diffuse_direct_light_key | light_key_specular specular_light_key
        key_light_diffuse_direct diffuse_direct_light_key | light_key.specular_indirect specular_indirect_light_key
        spec_dir_L_key specular_direct_light_key | L_key_diffuse diffuse_light_key | L_key.diffuse diffuse_light_key
        emission_light_lanterns emission_light_lanterns | light_lanterns.emission emission_light_lanterns
        diffDirLightKey diffuse_direct_light_key | volume_light_moon volume_light_moon
        transmission_light_key transmission_light_key | sss_light_rim subsurface_light_rim
    """,
    "halves and lobes by names of their own": """
        TransDir transmission_direct | TransInd transmission_indirect | VolumeDir volume_direct
        VolumeInd volume_indirect | sss_direct subsurface_direct | coat_direct coat_direct
        sheen_indirect sheen_indirect | clearcoat coat | diffuse_filter surface_colour | left.diffuse diffuse
    """,
    "what lights are called": """
        key_diffuse diffuse_light_key | fill_diffuse diffuse_light_fill | diffuse_key diffuse_light_key
        diffuse_direct_key diffuse_direct_light_key | RGBA_key light_key | Combined_key light_key | C_key light_key
        beauty_key light_key | specular_rim specular_light_rim | sss_kicker subsurface_light_kicker
        ORR_010_rim_beauty light_rim | depth_key depth | shadow_key shadow
    """,
    "data beside a light": "light_key.N normals | key_light.Z depth | light_rim.P position",
    "denoised": """
        beauty_denoised beauty_denoised | diffuse_direct_denoised diffuse_direct_denoised
        denoised_specular specular_denoised | DiffuseDenoised diffuse_denoised | light_key_denoised light_key_denoised
        emission_dn emission_denoised
    """,
    "nothing that is known": "wibble - | test01 - | v012 - | direct - | light - | foo_bar - | custom - | hero -",
}


def table():
    """(style, name, key or None) of all."""
    for style, text in BY_STYLE.items():
        for entry in text.replace("\n", "|").split("|"):
            if entry.strip():
                name, key = entry.split()
                yield style, name, None if key == "-" else key
