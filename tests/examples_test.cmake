# Installs the library into a fresh folder, builds the examples against it with nothing but
# find_package(Wakuzume), runs them and compares what they print.
file(REMOVE_RECURSE ${SCRATCH})
file(MAKE_DIRECTORY ${SCRATCH}/out)

function(run)
  execute_process(COMMAND ${ARGN} RESULT_VARIABLE code OUTPUT_VARIABLE out ERROR_VARIABLE out)
  if(NOT code EQUAL 0)
    message(FATAL_ERROR "${ARGN}\nended with ${code}:\n${out}")
  endif()
endfunction()

run(${CMAKE_COMMAND} --install ${BUILD} --prefix ${SCRATCH}/prefix)
# Not optimised: the work is in the libraries.
run(${CMAKE_COMMAND} -S ${SOURCE}/examples -B ${SCRATCH}/build -G ${GENERATOR}
    -DCMAKE_PREFIX_PATH=${SCRATCH}/prefix "-DCMAKE_CXX_FLAGS=${FLAGS} -O0")
run(${CMAKE_COMMAND} --build ${SCRATCH}/build)

# The scene that the examples read. What else the demo does has tests of its own.
file(WRITE ${SCRATCH}/no_pictures.toml "[verify]\npicture_views = 0\n")
run(${TOOL} demo ${SCRATCH}/demo --quiet --settings ${SCRATCH}/no_pictures.toml)
set(arguments_01 ${SCRATCH}/demo/glasshouse.glb ${SCRATCH}/out/fewer.glb)
set(arguments_02 "")
set(arguments_03 ${SCRATCH}/demo/glasshouse.glb)
set(arguments_04 ${SCRATCH}/demo/glasshouse.glb ${SCRATCH}/out/draws.png)
set(arguments_05 ${SCRATCH}/demo/glasshouse.glb)
set(arguments_06 ${SCRATCH}/demo/glasshouse.glb)
set(arguments_07 ${SCRATCH}/demo/glasshouse.glb ${SCRATCH}/out/half.glb)
foreach(example 01_read_plan_build 02_in_memory 03_survey 04_look 05_whole_job 06_watch_and_cancel
        07_reduce)
  string(SUBSTRING ${example} 0 2 number)
  execute_process(
    COMMAND ${SCRATCH}/build/${example} ${arguments_${number}}
    RESULT_VARIABLE code OUTPUT_VARIABLE out ERROR_VARIABLE err)
  file(READ ${SOURCE}/examples/${example}.expected expected)
  if(NOT code EQUAL 0 OR NOT out STREQUAL expected)
    message(FATAL_ERROR "${example} ended with ${code} and printed\n${out}${err}\nnot\n${expected}")
  endif()
endforeach()
if(NOT EXISTS ${SCRATCH}/out/fewer.glb)
  message(FATAL_ERROR "01_read_plan_build wrote no scene")
endif()
