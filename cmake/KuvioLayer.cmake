# kuvio_layer(NAME [DIR folder] SOURCES … USES layers… PUBLIC_PACKAGES targets… PACKAGES targets…)
#
# Makes the static library kuvio_<name>. Its headers are reached as "<folder>/topic.h" (the folder is
# its name where none is given) through an include folder that holds this layer alone, so that an
# include of a layer that is not among USES, or USES of those, does not even compile.
function(kuvio_layer layer)
  cmake_parse_arguments(ARG "" "DIR" "SOURCES;USES;PACKAGES;PUBLIC_PACKAGES" ${ARGN})
  if(NOT ARG_DIR)
    set(ARG_DIR ${layer})
  endif()
  set(gate ${CMAKE_BINARY_DIR}/include/${layer})
  cmake_path(GET ARG_DIR PARENT_PATH parent)
  file(MAKE_DIRECTORY ${gate}/${parent})
  file(CREATE_LINK ${CMAKE_SOURCE_DIR}/src/${ARG_DIR} ${gate}/${ARG_DIR} SYMBOLIC)
  add_library(kuvio_${layer} STATIC ${ARG_SOURCES})
  target_include_directories(kuvio_${layer} PUBLIC $<BUILD_INTERFACE:${gate}>)
  foreach(used ${ARG_USES})
    target_link_libraries(kuvio_${layer} PUBLIC kuvio_${used})
  endforeach()
  target_link_libraries(kuvio_${layer} PUBLIC ${ARG_PUBLIC_PACKAGES} PRIVATE ${ARG_PACKAGES})
endfunction()
